// All series of a chart as one series of the chart library: its own take ten times as long for lines with a band each.
import { graphic } from 'echarts/core';
import { bars, line, points, ribbon } from './courses.js';
import { colour } from './colours.js';

// The library would make copies of arrays in a shape, to move from one to the next: they lie one level deeper.
for (const [name, path] of Object.entries({ line, ribbon, bars, points }))
  graphic.registerShape(
    'course-' + name,
    graphic.extendShape({ type: 'course-' + name, shape: null, buildPath: (pen, { course }) => course && path(pen, course) }),
  );

const PLAIN = { draw: 'line', curve: 'straight', width: 1.7, dash: 'solid', points: 'where alone', size: 4, fill: 0, envelope: true },
  DASHES = { solid: null, dashed: [6, 4], dotted: [2, 3] };

// One of the shapes above: what is filled has no outline and the other way round.
const shape = (form, course, style, z2) => ({ type: 'course-' + form, silent: true, shape: { course }, style, z2 });
const filled = (form, course, fill, opacity, z2) => shape(form, course, { fill, stroke: null, opacity }, z2);
const stroked = (course, stroke, lineWidth, lineDash, opacity, z2) =>
  shape('line', course, { fill: null, stroke, lineWidth, lineDash, opacity, lineJoin: 'bevel' }, z2);

export const styleOf = (chart, i) => chart.dress?.styles[i] ?? PLAIN;

// Where the values of a trace lie on its axis.
export const drawn = (chart, trace, i) => styleOf(chart, i).drawn ?? trace.values;

// chart: picture, dress, limits, off, pointed; axisOf: the axis of a trace.
export function traces(chart, bare, axisOf) {
  return {
    type: 'custom',
    silent: true,
    clip: true,
    data: [[chart.picture.from, chart.picture.axis.min]],
    renderItem: ({ coordSys }) => ({ type: 'group', silent: true, children: children(chart, bare, axisOf, coordSys) }),
  };
}

// Pixels of values; what is missing is not a number. (Float64Array.from takes several times as long.)
function places(values, place) {
  const out = new Float64Array(values.length);
  for (let k = 0; k < out.length; k++) out[k] = values[k] == null ? NaN : place(values[k]);
  return out;
}

function children(chart, bare, axisOf, area) {
  const { picture } = chart,
    perMs = area.width / (picture.to - picture.from),
    across = (times) => places(times, (t) => area.x + (t - picture.from) * perMs),
    up = (axis) => {
      const per = area.height / (axis.max - axis.min);
      return (v) => area.y + (axis.max - v) * per;
    },
    out = bare ? [] : [...nights(chart, area, across), ...limits(chart, area, across, up(picture.axis))];
  // Traces of a picture mostly have the same times.
  let times = null,
    xs = null;
  picture.traces.forEach((trace, i) => {
    if (chart.off.has(trace.name)) return;
    if (trace.times !== times) xs = across((times = trace.times));
    const axis = axisOf(trace),
      y = up(axis),
      place = { xs, y, level: y(Math.min(Math.max(0, axis.min), axis.max)), area, across };
    if (styleOf(chart, i).draw === 'bars') out.push(upright(chart, trace, i, place, perMs));
    else out.push(...course(chart, trace, i, place, bare));
  });
  return out;
}

// From the base up, as wide as a bucket; series that are not stacked stand side by side.
function upright(chart, trace, i, { xs, y, level }, perMs) {
  const { picture } = chart,
    style = styleOf(chart, i),
    pitch = (trace.times.length > 1 ? trace.times[1] - trace.times[0] : picture.to - picture.from) * perMs,
    beside = picture.traces
      .map((t, k) => k)
      .filter((k) => styleOf(chart, k).draw === 'bars' && !styleOf(chart, k).base && !chart.off.has(picture.traces[k].name)),
    n = style.base ? 1 : Math.max(1, beside.length),
    left = style.base ? 0 : (Math.max(0, beside.indexOf(i)) * pitch) / n,
    width = pitch / n,
    fades = chart.pointed != null && chart.pointed !== trace.name;
  return filled(
    'bars',
    {
      xs: xs.map((x) => x + left),
      ys: places(drawn(chart, trace, i), y),
      base: style.base ? places(style.base, y) : new Float64Array(xs.length).fill(level),
      width: width - (width > 4 ? 1 : 0),
    },
    colour('--s' + trace.colour),
    fades ? 0.15 : 1,
    1,
  );
}

function course(chart, trace, i, { xs, y, level, area, across }, bare) {
  const style = styleOf(chart, i),
    values = drawn(chart, trace, i),
    { curve } = style,
    c = colour(bare ? '--faint' : '--s' + trace.colour),
    pointed = chart.pointed === trace.name,
    fades = chart.pointed != null && !pointed,
    out = [],
    z = pointed ? 4 : 2,
    end = trace.times.length - 1,
    cut = chart.dress?.cut ?? 'dotted',
    opens = cut !== 'as others' && trace.partial?.first && end > 0,
    closes = cut !== 'as others' && trace.partial?.last && end > 0,
    ys = places(values, y);
  if (style.envelope && trace.low && !bare && !trace.earlier && !fades)
    out.push(
      filled(
        'ribbon',
        { xs, ys: places(style.high ?? trace.high, y), base: places(style.low ?? trace.low, y), curve },
        c,
        Number(colour('--env')),
        0,
      ),
    );
  // Missing buckets over which the line goes on are left out; others are gaps.
  const joined = new Set(trace.joined),
    whole = ys.slice();
  if (opens) whole[0] = NaN;
  if (closes) whole[end] = NaN;
  const keep = (all) => (joined.size ? all.filter((_, k) => !joined.has(k)) : all),
    shown = { xs: keep(xs), ys: keep(whole), curve },
    fill = bare ? 0.1 : style.fill / 100;
  if (fill)
    out.push(
      filled(
        'ribbon',
        // A stacked area lies on what is below it.
        {
          ...shown,
          base:
            style.base && !bare ? keep(places(style.base, y)) : new Float64Array(shown.xs.length).fill(bare ? area.y + area.height : level),
        },
        c,
        fades ? fill / 4 : fill,
        1,
      ),
    );
  const width = bare ? 1.4 : trace.earlier ? 1.2 : style.width + (pointed ? 0.5 : 0),
    opacity = fades ? 0.15 : trace.earlier ? 0.75 : 1;
  if (style.draw !== 'points') out.push(stroked(shown, c, width, trace.earlier ? [4, 3] : DASHES[style.dash], opacity, z));
  // Over the line, where it is beyond a limit of the first axis: the same line, cut to that side of the limit.
  if (chart.dress?.beyond && !bare && !trace.axis && !trace.earlier && !fades)
    for (const l of chart.limits ?? [])
      out.push({
        ...stroked(shown, colour('--' + l.priority), width + 0.6, DASHES[style.dash], 1, z + 1),
        clipPath: { type: 'course-ribbon', shape: { course: beyond(l, area, across, y) } },
      });
  const at = marked(shown.ys, style);
  if (at.length) out.push(filled('points', { ...shown, at, radius: style.size / 2 }, c, opacity, z));
  // Buckets that the range cuts hold less than the others: the way to them is dotted.
  for (const k of style.draw === 'points' || cut === 'hidden' ? [] : [opens ? 0 : -1, closes ? end - 1 : -1])
    if (k >= 0)
      out.push(
        stroked({ xs: xs.slice(k, k + 2), ys: ys.slice(k, k + 2), curve }, c, bare ? 1.2 : style.width * 0.9, [2, 3], fades ? 0.15 : 1, z),
      );
  return out;
}

// The places that get a point: all, or those without a neighbour.
function marked(ys, { draw, points: where }) {
  const all = where === 'all' || draw === 'points',
    out = [];
  if (where === 'none' && draw !== 'points') return out;
  const there = (k) => k >= 0 && k < ys.length && !Number.isNaN(ys[k]);
  for (let k = 0; k < ys.length; k++) if (there(k) && (all || !(there(k - 1) || there(k + 1)))) out.push(k);
  return out;
}

function nights({ dress }, area, across) {
  const at = dress?.nights?.length ? across(dress.nights) : [];
  return Array.from({ length: at.length / 2 }, (_, k) => {
    const xs = at.slice(2 * k, 2 * k + 2);
    return filled('ribbon', { xs, ys: [area.y, area.y], base: [area.y + area.height, area.y + area.height] }, colour('--ink'), 0.045, -2);
  });
}

// Limits run over the whole width; their labels are elements over the canvas, where the server placed them.
// One with a course is always a line.
const both = (v) => Float64Array.of(v, v);
// At the edge of the plot half of a line would be cut off.
const within = (v, { y, height }) => Math.min(Math.max(v, y + 0.7), y + height - 0.7);
const along = (l, area, across, y) =>
  l.course
    ? { xs: across(l.course.times), ys: places(l.course.values, y) }
    : { xs: Float64Array.of(area.x, area.x + area.width), ys: both(within(y(l.at), area)) };
const beyond = (l, area, across, y) => {
  const course = along(l, area, across, y);
  return { ...course, base: new Float64Array(course.xs.length).fill(l.beyondAbove ? area.y : area.y + area.height) };
};

function limits(chart, area, across, y) {
  return (chart.limits ?? []).flatMap((l) => {
    const c = colour('--' + l.priority);
    // That of a rule is a fine line; one beyond the axis has only its label.
    if (l.form === 'rule') return l.beyond ? [] : [stroked(along(l, area, across, y), c, 1, null, 0.8, 2)];
    return [
      ...(l.form === 'line' || l.course ? [] : [filled('ribbon', beyond(l, area, across, y), c, 0.09, -1)]),
      ...(l.form === 'band' && !l.course ? [] : [stroked(along(l, area, across, y), c, 1.2, [6, 4], 1, 2)]),
    ];
  });
}
