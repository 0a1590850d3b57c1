// A chart that is asked for again comes without the points that the page has: they are put before what came.
import { joinTexts, timed } from './picture.js';

export function whole(data, last) {
  if (!data.keeps || !last) return data.drawing;
  const { drawing, keeps } = data,
    join = (old, rest, [from, n]) => (rest ? old.slice(from, from + n).concat(rest) : rest),
    seen = [];
  // One array of times stays one.
  const times = (old, rest, keep) => {
    let one = seen.find((s) => s.old === old && s.rest === rest && s.from === keep[0] && s.n === keep[1]);
    if (!one) seen.push((one = { old, rest, from: keep[0], n: keep[1], all: join(old, rest, keep) }));
    return one.all;
  };
  timed(last.picture);
  timed(drawing.picture).traces.forEach((trace, i) => {
    const old = last.picture.traces[i],
      was = last.styles[i],
      style = drawing.styles[i],
      more = trace.times.length;
    for (const part of ['values', 'low', 'high']) if (trace[part]) trace[part] = join(old[part] ?? [], trace[part], keeps[i]);
    for (const part of ['values', 'ranges', 'shares'])
      if (trace.told?.[part] != null) trace.told[part] = joinTexts(old.told[part], ...keeps[i], trace.told[part], more);
    trace.times = times(old.times, trace.times, keeps[i]);
    for (const part of ['base', 'drawn', 'low', 'high']) if (style[part]) style[part] = join(was[part] ?? [], style[part], keeps[i]);
  });
  return drawing;
}
