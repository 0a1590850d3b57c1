// Pictures as the server writes them: times that traces share are there once, texts of points lie in one text for each trace.
const BETWEEN = '|';

// Traces with the same times have one array of them.
export function timed(picture) {
  for (const trace of picture.traces) if (typeof trace.times === 'number') trace.times = picture.traces[trace.times].times;
  return picture;
}

function piece(text, k) {
  let from = 0;
  for (; k > 0; k--) from = text.indexOf(BETWEEN, from) + 1;
  const to = text.indexOf(BETWEEN, from);
  return to < 0 ? text.slice(from) : text.slice(from, to);
}

// What the pointer tells of a bucket: its value, and where there are such the range of what is in it and its share of a stack.
export function told({ told: { values, ranges, shares, suffix } }, k) {
  const range = ranges && piece(ranges, k);
  return {
    value: piece(values, k) + suffix,
    range: range ? range + suffix : '',
    share: shares ? piece(shares, k) : '',
  };
}

// Texts of `n` points from `from` on, and behind them those of others; `more` is how many these are.
export function joinTexts(old, from, n, rest, more) {
  const kept = n ? old.split(BETWEEN).slice(from, from + n) : [];
  return (more ? [...kept, rest] : kept).join(BETWEEN);
}
