// A few series as large as a word, from the least and greatest value of each column.
export function sparkline(data, w = 104, h = 20) {
  const svg = (tag, attributes) => {
    const e = document.createElementNS('http://www.w3.org/2000/svg', tag);
    for (const [k, v] of Object.entries(attributes)) e.setAttribute(k, v);
    return e;
  };
  const out = svg('svg', { class: 'glimpse', viewBox: `0 0 ${w} ${h}`, width: w, height: h, 'aria-hidden': 'true' });
  const x = (c) => +(((c + 0.5) / data.columns) * (w - 2) + 1).toFixed(1),
    y = (v) => +(h - 2 - (v / 100) * (h - 4)).toFixed(1);
  for (const { low, high } of data.series) {
    let path = '',
      pen = null;
    low.forEach((least, c) => {
      if (least < 0) {
        pen = null;
        return;
      }
      const ends = pen != null && Math.abs(pen - high[c]) < Math.abs(pen - least) ? [high[c], least] : [least, high[c]];
      path += `${pen == null ? 'M' : 'L'}${x(c)} ${y(ends[0])}`;
      if (ends[0] !== ends[1]) path += `L${x(c)} ${y(ends[1])}`;
      else if (pen == null) path += 'h1';
      pen = ends[1];
    });
    out.append(svg('path', { d: path }));
  }
  return out;
}
