// Draws a picture that the server computed. No numbers are made here: only pixels and gestures.
import * as echarts from 'echarts/core';
import { CustomChart } from 'echarts/charts';
import { GridComponent } from 'echarts/components';
import { CanvasRenderer } from 'echarts/renderers';
import { setRange } from './range.js';
import { labels, ZONE_HEIGHT } from './chart-labels.js';
import { el } from './dom.js';
import { readoutBox } from './readout.js';
import { stamp } from './time.js';
import { colour } from './colours.js';
import { drawn, traces } from './traces.js';

echarts.use([CustomChart, GridComponent, CanvasRenderer]);
const charts = new Set();

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
    self.picture = picture;
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
  }

  // Asked for seldom, since the browser then lays out the page. True if it changed.
  function measure() {
    const was = [wide, tall];
    [wide, tall] = [host.clientWidth, host.clientHeight];
    return was[0] !== wide || was[1] !== tall;
  }

  function paint() {
    const { picture, limits } = self;
    const ticks = picture.axis.ticks,
      faint = colour('--faint'),
      line = colour('--line'),
      font = "'Atkinson Mono', monospace";
    box.left = bare ? 0 : room(ticks, look(0));
    box.bottom = bare ? 0 : 22 + zones().length * ZONE_HEIGHT;
    const second = picture.second;
    box.right = bare ? 0 : second ? room(second.ticks, look(1)) : 8;
    caption(picture);
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
        yAxis: [yAxis(picture.axis, 'left', label, line), ...(second ? [yAxis(second, 'right', label, line)] : [])],
        series: [traces(self, bare, axisOf)],
      }),
      { notMerge: true },
    );
    if (bare) return;
    over.limits(limits, (v) => instance.convertToPixel({ yAxisIndex: 0 }, v), box.right);
    over.zones(zones(), xOf, box.left);
  }

  const zones = () => (bare ? [] : (self.dress?.zones ?? []));

  const ordinary = { words: '', shown: true, grid: true, room: 0 },
    look = (axis) => self.dress?.axes?.[axis] ?? { ...ordinary, grid: axis === 0 },
    // The axis of a trace: one that is not drawn has only its ends.
    axisOf = (trace) => (!trace.axis ? self.picture.axis : trace.axis === 1 ? self.picture.second : self.picture.more[trace.axis - 2]),
    scaleOf = (trace) =>
      !trace.axis ? self.picture.scale : trace.axis === 1 ? self.picture.secondScale : self.picture.more[trace.axis - 2].scale;

  // Px that an axis takes.
  function room(ticks, { shown, room: wanted }) {
    return !shown ? 8 : wanted || Math.max(26, ...ticks.map((k) => k.text.length * 7.3)) + 8;
  }

  // What is on which axis is said where there are two, or where words are set.
  function caption(picture) {
    const second = picture.second,
      says = [picture.axis, second].map((axis, k) =>
        axis && look(k).shown ? look(k).words || (second ? [axis.lines, axis.note].filter(Boolean).join(' · ') || 'no unit' : '') : '',
      );
    box.top = bare || !says.some(Boolean) ? 6 : 24;
    over.captions(bare ? [] : says);
  }

  function yAxis(axis, position, label, line) {
    const texts = new Map(axis.ticks.map((k) => [k.at, k.text])),
      at = axis.ticks.map((k) => k.at),
      { shown, grid, colour: own } = look(position === 'left' ? 0 : 1);
    return {
      type: 'value',
      position,
      axisLine: { show: false },
      min: axis.min,
      max: axis.max,
      axisTick: { show: false, customValues: at },
      splitLine: { show: !bare && grid, lineStyle: { color: line, width: 1 } },
      axisLabel: {
        ...label,
        ...(own == null ? {} : { color: colour('--s' + own) }),
        show: !bare && shown,
        customValues: at,
        formatter: (v) => texts.get(v) ?? '',
      },
      interval: at.length > 1 ? at[1] - at[0] : undefined,
    };
  }

  // Width and height of the plot between its axes, px; zeros before the first picture.
  function size() {
    return instance ? [span(), tall - box.top - box.bottom].map(Math.round) : [0, 0];
  }

  // The plot between its axes: px from the left and top of the host, and the ends of the left axis; null before the first picture.
  function plotBox() {
    if (!instance || !self.picture) return null;
    const [width, height] = size(),
      { min, max } = self.picture.axis;
    return { left: box.left, top: box.top, width, height, min, max };
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

  let cross, readout, drag;

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
      if (e.button !== 0 || e.offsetX < box.left) return;
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
    const rect = host.getBoundingClientRect(),
      px = e.clientX - rect.left,
      py = e.clientY - rect.top,
      told = self.dress?.hover ?? 'all';
    if (px < box.left || px > wide - box.right) return leave();
    const t = timeAt(px);
    for (const other of charts) other.shared(t);
    const rows = [];
    let stampAt = null,
      cut = false;
    for (const [i, trace] of self.picture.traces.entries()) {
      if (self.off.has(trace.name) || told === 'none') continue;
      const k = nearest(trace.times, t);
      if (k < 0 || trace.values[k] == null) continue;
      stampAt ??= trace.times[k];
      cut ||= (trace.partial?.first && k === 0) || (trace.partial?.last && k === trace.times.length - 1);
      rows.push({ trace, v: trace.values[k], y: drawn(self, trace, i)[k], low: trace.low?.[k], high: trace.high?.[k] });
    }
    if (!rows.length) {
      readout?.remove();
      readout = null;
      return;
    }
    rows.sort((a, b) => b.v - a.v);
    const share = 1 - (py - box.top) / (tall - box.top - box.bottom);
    const away = (r) => {
      const axis = axisOf(r.trace);
      return Math.abs((r.y - axis.min) / (axis.max - axis.min) - share);
    };
    const near = rows.reduce((a, b) => (away(b) < away(a) ? b : a));
    readout?.remove();
    readout = readoutBox(rows, near, e.shiftKey || told === 'nearest', stamp(stampAt) + (cut ? ' · partial bucket' : ''), number);
    host.append(readout);
    const w = readout.offsetWidth,
      h = readout.offsetHeight;
    readout.style.left = (px + 16 + w > wide ? Math.max(-8, px - w - 16) : px + 16) + 'px';
    readout.style.top = Math.max(-20, Math.min(py - h / 2, tall - h)) + 'px';
  }

  function number(v, row) {
    const s = scaleOf(row.trace);
    return (v / s.divisor).toFixed(s.decimals).replace('-', '−') + s.suffix;
  }

  function leave() {
    readout?.remove();
    readout = null;
    for (const other of charts) other.shared(null);
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
  document.fonts?.ready.then(() => instance && self.picture && paint());
  return self;
}

// A summary for those who do not see the picture.
export function summary(picture) {
  const traces = picture.traces
    .slice(0, 8)
    .map((t) => `${t.name}: last ${t.readout[0]}, min ${t.readout[1]}, max ${t.readout[2]} ${t.unit}`);
  return `Chart of ${picture.traces.length} series from ${stamp(picture.from)} to ${stamp(picture.to)}. ${traces.join('; ')}`;
}
