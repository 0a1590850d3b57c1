// A chart that is asked for again comes without the points that the page has: they are put before what came.
export function whole(data, last) {
  if (!data.keeps || !last) return data.drawing;
  const { drawing, keeps } = data,
    join = (old, rest, [from, n]) => (rest ? old.slice(from, from + n).concat(rest) : rest);
  drawing.picture.traces.forEach((trace, i) => {
    const old = last.picture.traces[i],
      was = last.styles[i],
      style = drawing.styles[i];
    for (const part of ['times', 'values', 'low', 'high']) if (trace[part]) trace[part] = join(old[part] ?? [], trace[part], keeps[i]);
    for (const part of ['base', 'drawn', 'low', 'high']) if (style[part]) style[part] = join(was[part] ?? [], style[part], keeps[i]);
  });
  return drawing;
}
