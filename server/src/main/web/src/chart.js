// Draws a picture that the server computed. No numbers are made here: only pixels and gestures.
import * as echarts from 'echarts/core';
import { CustomChart } from 'echarts/charts';
import { GridComponent } from 'echarts/components';
import { CanvasRenderer } from 'echarts/renderers';
import { setRange } from './range.js';
import { LABEL_HEIGHT, labels, rowsOver, ZONE_HEIGHT } from './chart-labels.js';
import { el } from './dom.js';
import { timed } from './picture.js';
import { readoutBox } from './readout.js';
import { stamp } from './time.js';
import { colour } from './colours.js';
import { drawn, traces } from './traces.js';

echarts.use([CustomChart, GridComponent, CanvasRenderer]);
const charts = new Set(),
  POINTER = { tells: 'all', order: 'largest first', zeros: true };

export function chart(host, { bare = false } = {}) {
  const canvas = el('div', { class: 'canvas' });
  host.append(canvas);
  const self = { host, off: new Set(), picture: null, draw, dispose, shared, image, near, size, plotBox, lines: asLines };
  let instance = null,
    sizes = null,
    wide = 0,
    tall = 0;
  const box = { left: 0, right: 8, top: 6, bottom: 22 },
    over = labels(host);

  function draw(picture, limits = []) {
    self.picture = timed(picture);
    self.limits = limits;
    if (!instance) {
      measure();
      instance = echarts.init(canvas, null, { renderer: 'canvas', width: wide, height: tall });
      // It reports once at the beginning, when everything is drawn already.
      sizes = new ResizeObserver(() => {
        if (!measure()) return;
        instance.resize({ width: wide, height: tall });
        self.picture && paint();
      });
      sizes.observe(host);
      gestures();
      charts.add(self);
    }
    paint();
    // What is under the pointer is now another time.
    if (readout) hover(pointed);
  }

  // Asked for seldom, since the browser then lays out the page. True if it changed.
  function measure() {
    const was = [wide, tall];
    [wide, tall] = [host.clientWidth, host.clientHeight];
    return was[0] !== wide || was[1] !== tall;
  }

  function paint() {
    const { picture, limits } = self;
    const faint = colour('--faint'),
      line = colour('--line'),
      font = "'Atkinson Mono', monospace";
    const axes = placed();
    box.left = bare ? 0 : Math.max(8, ...axes.filter((a) => a.side === 'left').map((a) => a.outer));
    box.right = bare ? 0 : Math.max(8, ...axes.filter((a) => a.side === 'right').map((a) => a.outer));
    box.bottom = bare ? 0 : 22 + zones().length * ZONE_HEIGHT;
    caption(axes);
    const times = new Map(picture.timeTicks.map((k) => [k.at, k.text]));
    const label = { fontFamily: font, fontSize: 11.5, color: faint };
    instance.setOption(
      (self.option = {
        animation: false,
        grid: { ...box, outerBoundsMode: 'none' },
        xAxis: {
          type: 'value',
          min: picture.from,
          max: picture.to,
          axisLine: { show: !bare, lineStyle: { color: line } },
          splitLine: { show: false },
          axisTick: { show: !bare, customValues: [...times.keys()], lineStyle: { color: line } },
          axisLabel: {
            ...label,
            show: !bare,
            customValues: [...times.keys()],
            formatter: (v) => (xOf(v) > wide - 22 || xOf(v) < 18 ? '' : (times.get(v) ?? '')),
            hideOverlap: true,
          },
        },
        yAxis: axes.map((a) => yAxis(a, label, line)),
        series: [traces(self, bare, axisOf)],
      }),
      { notMerge: true },
    );
    if (bare) return;
    over.limits(limits, (v) => instance.convertToPixel({ yAxisIndex: 0 }, v), box);
    over.zones(zones(), xOf, box.left);
    over.raised(self.dress?.raised ?? [], xOf, box);
  }

  const zones = () => (bare ? [] : (self.dress?.zones ?? []));

  const look = (n) => self.dress?.axes?.[n] ?? { words: '', side: ['left', 'right'][n] ?? 'hidden', grid: n === 0, room: 0 },
    axisOf = (trace) => (!trace.axis ? self.picture.axis : trace.axis === 1 ? self.picture.second : self.picture.more[trace.axis - 2]);

  // The axes with what is drawn of each; the first, which has the limits, is there even if it is not seen. Those of a side
  // stand beside each other, the first at the plot: from `inner` to `outer` px from its edge.
  function placed() {
    const { axis, second, more } = self.picture,
      taken = { left: 0, right: 0 };
    return [axis, second, ...(more ?? [])].flatMap((a, n) => {
      const l = look(n);
      if (!a || (n > 0 && l.side === 'hidden')) return [];
      const { side } = l,
        inner = taken[side] ?? 0;
      if (side in taken) taken[side] += (l.room || Math.max(26, ...a.ticks.map((k) => k.text.length * 7.3))) + 8;
      return [{ ...a, look: l, side, inner, outer: taken[side] ?? 0 }];
    });
  }

  // What is on which axis is said where there are several, or where words are set. Each of a side has a row of its own.
  function caption(axes) {
    const seen = bare ? [] : axes.filter((a) => a.side !== 'hidden'),
      rows = { left: 0, right: 0 },
      says = seen.flatMap(({ side, inner, outer, look: l, lines, note }) => {
        const words = l.words || (seen.length > 1 ? [lines, note].filter(Boolean).join(' · ') || 'no unit' : '');
        return words ? [{ side, words, colour: l.colour, from: inner, to: outer, row: rows[side]++ }] : [];
      });
    box.top = 6 + 18 * Math.max(rows.left, rows.right) + (bare ? 0 : rowsOver(self.limits) * LABEL_HEIGHT);
    over.captions(says, box);
  }

  function yAxis({ look: l, side, inner, ticks, min, max }, label, line) {
    const texts = new Map(ticks.map((k) => [k.at, k.text])),
      at = ticks.map((k) => k.at);
    return {
      type: 'value',
      position: side === 'right' ? 'right' : 'left',
      offset: inner,
      axisLine: { show: false },
      min,
      max,
      axisTick: { show: false, customValues: at },
      splitLine: { show: !bare && l.grid, lineStyle: { color: line, width: 1 } },
      axisLabel: {
        ...label,
        ...(l.colour == null ? {} : { color: colour('--s' + l.colour) }),
        show: !bare && side !== 'hidden',
        customValues: at,
        formatter: (v) => texts.get(v) ?? '',
      },
      interval: at.length > 1 ? at[1] - at[0] : undefined,
    };
  }

  // Width and height of the plot between its axes, px, without rows of labels over it; zeros before the first picture.
  function size() {
    return instance ? [span(), tall - box.top - box.bottom + rowsOver(self.limits) * LABEL_HEIGHT].map(Math.round) : [0, 0];
  }

  // The plot between its axes: px from the left and top of the host, and the first axis; null before the first picture.
  function plotBox() {
    if (!instance || !self.picture) return null;
    const [width, height] = [span(), tall - box.top - box.bottom].map(Math.round),
      { min, max } = self.picture.axis,
      { scale, linear } = look(0);
    return { left: box.left, top: box.top, width, height, min, max, scale, linear };
  }

  // One series stands out; none again with null.
  function near(name) {
    if (!instance || self.pointed === name) return;
    self.pointed = self.off.has(name) ? null : name;
    paint();
  }

  // The chart as lines, without what stands over it.
  async function asLines() {
    const { SVGRenderer } = await import('echarts/renderers');
    echarts.use([SVGRenderer]);
    const still = echarts.init(null, null, { renderer: 'svg', ssr: true, width: wide, height: tall });
    still.setOption(self.option);
    const out = still.renderToSVGString();
    still.dispose();
    return out;
  }

  function image() {
    return instance?.getDataURL({ pixelRatio: 2, backgroundColor: colour('--sheet') });
  }

  // From a pixel across to a time, and back.
  const span = () => wide - box.left - box.right;
  const timeAt = (px) => self.picture.from + ((px - box.left) / span()) * (self.picture.to - self.picture.from);
  const xOf = (t) => box.left + ((t - self.picture.from) / (self.picture.to - self.picture.from)) * span();

  let cross, readout, drag, pointed;

  function shared(t) {
    if (!instance || bare) return;
    cross ??= host.appendChild(el('div', { class: 'cross' }));
    const px = xOf(t ?? NaN);
    cross.hidden = !(px >= box.left && px <= wide);
    if (!cross.hidden) cross.style.left = px + 'px';
  }

  function gestures() {
    if (bare) return;
    host.addEventListener('pointermove', (e) => {
      if (e.pointerType === 'mouse' || e.buttons) hover(e);
    });
    host.addEventListener('pointerleave', leave);
    host.addEventListener('pointerdown', (e) => {
      if (e.button !== 0 || e.target.closest('a') || e.offsetX < box.left) return;
      const start = e.clientX - host.getBoundingClientRect().left;
      drag = el('div', { class: 'drag' });
      let now = start;
      const move = (ev) => {
        now = Math.max(box.left, Math.min(wide - box.right, ev.clientX - host.getBoundingClientRect().left));
        if (Math.abs(now - start) > 4 && !drag.isConnected) host.append(drag);
        drag.style.left = Math.min(start, now) + 'px';
        drag.style.width = Math.abs(now - start) + 'px';
      };
      const up = () => {
        removeEventListener('pointermove', move);
        removeEventListener('pointerup', up);
        const was = drag.isConnected;
        drag.remove();
        if (!was) host.dispatchEvent(new CustomEvent('pick', { detail: timeAt(start) }));
        if (was) setRange(Math.round(timeAt(Math.min(start, now))), Math.round(timeAt(Math.max(start, now))));
      };
      addEventListener('pointermove', move);
      addEventListener('pointerup', up);
    });
  }

  function hover(e) {
    pointed = { clientX: e.clientX, clientY: e.clientY, shiftKey: e.shiftKey };
    const rect = host.getBoundingClientRect(),
      px = e.clientX - rect.left,
      py = e.clientY - rect.top,
      { tells, order, zeros } = self.dress?.pointer ?? POINTER;
    if (px < box.left || px > wide - box.right) return leave();
    const t = timeAt(px);
    for (const other of cursor()) other.shared(t);
    const rows = [];
    let stampAt = null,
      cut = false;
    for (const [i, trace] of self.picture.traces.entries()) {
      if (self.off.has(trace.name) || tells === 'none') continue;
      const k = nearest(trace.times, t);
      if (k < 0 || trace.values[k] == null || (!zeros && !trace.values[k])) continue;
      stampAt ??= trace.times[k];
      cut ||= (trace.partial?.first && k === 0) || (trace.partial?.last && k === trace.times.length - 1);
      rows.push({ trace, k, v: trace.values[k], y: drawn(self, trace, i)[k] });
    }
    if (!rows.length) {
      readout?.remove();
      readout = null;
      return;
    }
    if (order === 'largest first') rows.sort((a, b) => b.v - a.v);
    const share = 1 - (py - box.top) / (tall - box.top - box.bottom);
    const away = (r) => {
      const axis = axisOf(r.trace);
      return Math.abs((r.y - axis.min) / (axis.max - axis.min) - share);
    };
    const near = rows.reduce((a, b) => (away(b) < away(a) ? b : a));
    readout?.remove();
    readout = readoutBox(rows, near, e.shiftKey || tells === 'nearest', stamp(stampAt) + (cut ? ' · partial bucket' : ''));
    host.append(readout);
    const w = readout.offsetWidth,
      h = readout.offsetHeight;
    readout.style.left = (px + 16 + w > wide ? Math.max(-8, px - w - 16) : px + 16) + 'px';
    readout.style.top = Math.max(-20, Math.min(py - h / 2, tall - h)) + 'px';
  }

  const cursor = () => (self.dress?.pointer?.cursor === 'here only' ? [self] : charts);

  function leave() {
    readout?.remove();
    readout = null;
    for (const other of cursor()) other.shared(null);
  }

  function nearest(times, t) {
    let a = 0,
      b = times.length - 1;
    if (b < 0) return -1;
    while (a < b) {
      const m = (a + b) >> 1;
      if (times[m] < t) a = m + 1;
      else b = m;
    }
    return a > 0 && t - times[a - 1] < times[a] - t ? a - 1 : a;
  }

  function themed() {
    if (instance && self.picture) paint();
  }

  function dispose() {
    charts.delete(self);
    document.removeEventListener('vintrel:theme', themed);
    sizes?.disconnect();
    instance?.dispose();
    instance = null;
  }

  document.addEventListener('vintrel:theme', themed);
  // Words are measured again when their font is there.
  if (document.fonts?.status === 'loading') document.fonts.ready.then(() => instance && self.picture && paint());
  return self;
}

// A summary for those who do not see the picture.
export function summary(picture) {
  const traces = picture.traces
    .slice(0, 8)
    .map((t) => `${t.name}: last ${t.readout[0]}, min ${t.readout[1]}, max ${t.readout[2]} ${t.unit}`);
  return `Chart of ${picture.traces.length} series from ${stamp(picture.from)} to ${stamp(picture.to)}. ${traces.join('; ')}`;
}
