// Draws a picture that the server computed. No numbers are made here: only pixels and gestures.
import * as echarts from 'echarts/core';
import { CustomChart, LineChart } from 'echarts/charts';
import { GridComponent } from 'echarts/components';
import { CanvasRenderer } from 'echarts/renderers';
import { setRange } from './range.js';
import { labels, ZONE_HEIGHT } from './chart-labels.js';
import { el } from './dom.js';
import { readoutBox } from './readout.js';
import { stamp } from './time.js';

echarts.use([CustomChart, LineChart, GridComponent, CanvasRenderer]);
const charts = new Set(),
  PLAIN = { draw: 'line', curve: 'straight', width: 1.7, dash: 'solid', points: 'where alone', fill: 0, envelope: true },
  DASHES = { solid: 'solid', dashed: [6, 4], dotted: [2, 3] },
  STEPS = { 'step before': 'start', 'step after': 'end' };
const colour = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

export function chart(host, { bare = false } = {}) {
  const canvas = el('div', { class: 'canvas' });
  host.append(canvas);
  const self = { host, off: new Set(), picture: null, draw, dispose, shared, image, near, size, plotBox, lines: asLines };
  let instance = null,
    sizes = null;
  const box = { left: 0, right: 8, top: 6, bottom: 22 },
    over = labels(host);

  function draw(picture, limits = []) {
    self.picture = picture;
    self.limits = limits;
    if (!instance) {
      instance = echarts.init(canvas, null, { renderer: 'canvas' });
      let wide = host.clientWidth,
        tall = host.clientHeight;
      // It reports once at the beginning, when everything is drawn already.
      sizes = new ResizeObserver(() => {
        if (host.clientWidth === wide && host.clientHeight === tall) return;
        wide = host.clientWidth;
        tall = host.clientHeight;
        instance.resize();
        self.picture && paint();
      });
      sizes.observe(host);
      gestures();
      charts.add(self);
    }
    paint();
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
            formatter: (v) => (xOf(v) > host.clientWidth - 22 || xOf(v) < 18 ? '' : (times.get(v) ?? '')),
            hideOverlap: true,
          },
        },
        yAxis: [
          yAxis(picture.axis, 'left', label, line),
          ...(second ? [yAxis(second, 'right', label, line)] : []),
          ...(picture.more ?? []).map(({ min, max }) => ({ type: 'value', show: false, min, max })),
        ],
        series: picture.traces.flatMap((trace, i) => (self.off.has(trace.name) ? [] : series(trace, i))).concat(limitLines(limits)),
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
    // Where the axis of a trace is among those of the chart library.
    indexOf = ({ axis }) => (axis > 1 && !self.picture.second ? axis - 1 : (axis ?? 0)),
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
    return instance ? [span(), host.clientHeight - box.top - box.bottom].map(Math.round) : [0, 0];
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
    const still = echarts.init(null, null, { renderer: 'svg', ssr: true, width: host.clientWidth, height: host.clientHeight });
    still.setOption(self.option);
    const out = still.renderToSVGString();
    still.dispose();
    return out;
  }

  function image() {
    return instance?.getDataURL({ pixelRatio: 2, backgroundColor: colour('--sheet') });
  }

  const styleOf = (i) => self.dress?.styles[i] ?? PLAIN;
  const drawn = (trace, i) => styleOf(i).drawn ?? trace.values;

  function series(trace, i) {
    return styleOf(i).draw === 'bars' ? [bars(trace, i)] : lines(trace, i);
  }

  // From the base up, as wide as a bucket; series that are not stacked stand side by side.
  function bars(trace, i) {
    const style = styleOf(i),
      c = colour('--s' + trace.colour),
      top = drawn(trace, i),
      pitch = trace.times.length > 1 ? trace.times[1] - trace.times[0] : self.picture.to - self.picture.from,
      beside = self.picture.traces
        .map((t, k) => k)
        .filter((k) => styleOf(k).draw === 'bars' && !styleOf(k).base && !self.off.has(self.picture.traces[k].name)),
      place = style.base ? 0 : Math.max(0, beside.indexOf(i)),
      n = style.base ? 1 : Math.max(1, beside.length),
      fades = self.pointed != null && self.pointed !== trace.name;
    const axis = axisOf(trace);
    return {
      type: 'custom',
      yAxisIndex: indexOf(trace),
      silent: true,
      clip: true,
      data: trace.times.map((t, k) => [t, style.base?.[k] ?? Math.min(Math.max(0, axis.min), axis.max), top[k]]),
      encode: { x: 0, y: [1, 2] },
      renderItem: (_, api) => {
        if (Number.isNaN(api.value(2))) return null;
        const [x0, y0] = api.coord([api.value(0), api.value(1)]),
          [x1, y1] = api.coord([api.value(0) + pitch, api.value(2)]),
          width = (x1 - x0) / n,
          gap = width > 4 ? 1 : 0;
        return {
          type: 'rect',
          shape: {
            x: x0 + place * width,
            y: Math.min(y0, y1),
            width: Math.max(0.5, width - gap),
            height: Math.max(0.5, Math.abs(y0 - y1)),
          },
          style: { fill: c, opacity: fades ? 0.15 : 1 },
        };
      },
    };
  }

  function lines(trace, i) {
    const style = styleOf(i),
      values = drawn(trace, i),
      envelope = style.envelope && trace.low ? { low: style.low ?? trace.low, high: style.high ?? trace.high } : null,
      c = colour(bare ? '--faint' : '--s' + trace.colour),
      out = [],
      yAxisIndex = indexOf(trace),
      curve = { step: STEPS[style.curve] ?? false, smooth: style.curve === 'smooth' ? 0.4 : false, smoothMonotone: 'x' };
    const points = (v) => trace.times.map((t, k) => [t, v[k]]);
    const end = trace.times.length - 1,
      opens = trace.partial?.first && end > 0,
      closes = trace.partial?.last && end > 0;
    const fades = self.pointed != null && self.pointed !== trace.name;
    if (envelope && !bare && !trace.earlier && !fades) {
      const base = {
        type: 'line',
        yAxisIndex,
        symbol: 'none',
        silent: true,
        stack: 'envelope' + i,
        lineStyle: { width: 0 },
        stackStrategy: 'all',
        z: 1,
      };
      out.push({ ...base, ...curve, data: points(envelope.low) });
      out.push({
        ...base,
        ...curve,
        data: points(envelope.high.map((h, k) => (h == null ? null : h - envelope.low[k]))),
        areaStyle: { color: c, opacity: Number(colour('--env')) },
      });
    }
    // Missing buckets over which the line goes on are left out; others are gaps.
    const joined = new Set(trace.joined),
      shown = trace.times.map((t, k) => k).filter((k) => !joined.has(k));
    const lonely = shown.map((k, n) => values[k] != null && values[shown[n - 1]] == null && values[shown[n + 1]] == null),
      all = style.points === 'all' || style.draw === 'points',
      none = style.points === 'none' && style.draw !== 'points';
    // A stacked area lies on what is below it.
    if (style.base && !bare)
      out.push({
        ...curve,
        type: 'line',
        yAxisIndex,
        data: shown.map((k) => [trace.times[k], values[k] == null ? null : style.base[k]]),
        symbol: 'none',
        silent: true,
        stack: 'base' + i,
        stackStrategy: 'all',
        lineStyle: { width: 0 },
        z: 1,
      });
    const filled = bare ? 0.1 : style.fill / 100;
    out.push({
      ...curve,
      type: 'line',
      yAxisIndex,
      name: trace.name,
      ...(style.base && !bare ? { stack: 'base' + i, stackStrategy: 'all' } : {}),
      data: shown.map((k) => [
        trace.times[k],
        (opens && k === 0) || (closes && k === end) || values[k] == null
          ? null
          : style.base && !bare
            ? values[k] - style.base[k]
            : values[k],
      ]),
      // Without points to mark, the library need not look at each.
      symbol: none || !(all || lonely.some(Boolean)) ? 'none' : (v, p) => (all || lonely[p.dataIndex] ? 'circle' : 'none'),
      symbolSize: style.draw === 'points' ? 5 : 4,
      showAllSymbol: true,
      silent: true,
      z: self.pointed === trace.name ? 3 : 2,
      lineStyle: {
        width: style.draw === 'points' ? 0 : bare ? 1.4 : trace.earlier ? 1.2 : style.width + (self.pointed === trace.name ? 0.5 : 0),
        color: c,
        type: trace.earlier ? [4, 3] : DASHES[style.dash],
        opacity: fades ? 0.15 : trace.earlier ? 0.75 : 1,
      },
      itemStyle: { color: c },
      ...(filled ? { areaStyle: { color: c, opacity: fades ? filled / 4 : filled, origin: bare ? 'start' : 'auto' } } : {}),
    });
    // Buckets that the range cuts hold less than the others: the way to them is dotted.
    for (const at of [opens && 0, closes && end - 1]) {
      if (at === false || at === undefined || style.draw === 'points') continue;
      out.push({
        type: 'line',
        yAxisIndex,
        ...curve,
        data: [at, at + 1].map((k) => [trace.times[k], values[k]]),
        symbol: 'none',
        silent: true,
        z: 2,
        lineStyle: { width: bare ? 1.2 : style.width * 0.9, color: c, type: [2, 3], opacity: fades ? 0.15 : 1 },
        itemStyle: { color: c },
      });
    }
    return out;
  }

  // Limits run over the whole width; their labels are elements over the canvas, where the server placed them.
  function limitLines(limits) {
    if (bare) return [];
    const { from, to, axis } = self.picture;
    const line = (l) => ({
      type: 'line',
      data: l.course ? l.course.times.map((t, k) => [t, l.course.values[k]]) : [from, to].map((t) => [t, l.at]),
      symbol: 'none',
      silent: true,
      z: 2,
      lineStyle: { color: colour('--' + l.priority), type: [6, 4], width: 1.2 },
    });
    const band = (l) => ({
      type: 'custom',
      silent: true,
      clip: true,
      z: 0,
      data: [[from, l.at, to, l.beyondAbove ? axis.max : axis.min]],
      encode: { x: [0, 2], y: [1, 3] },
      renderItem: (_, api) => {
        const [x0, y0] = api.coord([api.value(0), api.value(1)]),
          [x1, y1] = api.coord([api.value(2), api.value(3)]);
        return {
          type: 'rect',
          shape: { x: x0, y: Math.min(y0, y1), width: x1 - x0, height: Math.abs(y1 - y0) },
          style: { fill: colour('--' + l.priority), opacity: 0.09 },
        };
      },
    });
    // One with a course is always a line.
    return limits.flatMap((l) => [
      ...(l.form === 'band' && !l.course ? [] : [line(l)]),
      ...(l.form === 'line' || l.course ? [] : [band(l)]),
    ]);
  }

  // From a pixel across to a time, and back.
  const span = () => host.clientWidth - box.left - box.right;
  const timeAt = (px) => self.picture.from + ((px - box.left) / span()) * (self.picture.to - self.picture.from);
  const xOf = (t) => box.left + ((t - self.picture.from) / (self.picture.to - self.picture.from)) * span();

  let cross, readout, drag;

  function shared(t) {
    if (!instance || bare) return;
    cross ??= host.appendChild(el('div', { class: 'cross' }));
    const px = xOf(t ?? NaN);
    cross.hidden = !(px >= box.left && px <= host.clientWidth);
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
        now = Math.max(box.left, Math.min(host.clientWidth - box.right, ev.clientX - host.getBoundingClientRect().left));
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
    if (px < box.left || px > host.clientWidth - box.right) return leave();
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
      rows.push({ trace, v: trace.values[k], y: drawn(trace, i)[k], low: trace.low?.[k], high: trace.high?.[k] });
    }
    if (!rows.length) {
      readout?.remove();
      readout = null;
      return;
    }
    rows.sort((a, b) => b.v - a.v);
    const share = 1 - (py - box.top) / (host.clientHeight - box.top - box.bottom);
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
    readout.style.left = (px + 16 + w > host.clientWidth ? Math.max(-8, px - w - 16) : px + 16) + 'px';
    readout.style.top = Math.max(-20, Math.min(py - h / 2, host.clientHeight - h)) + 'px';
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
