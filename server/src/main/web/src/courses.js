// Paths of series between pixels, for a context with moveTo, lineTo, bezierCurveTo, closePath. A place that is not a number is a gap.

// The stretches without a gap, as pairs of the first and the last index.
export function runs(...columns) {
  const out = [];
  let first = -1;
  const n = columns[0].length;
  for (let k = 0; k <= n; k++) {
    const here = k < n && columns.every((c) => !Number.isNaN(c[k]));
    if (here && first < 0) first = k;
    if (!here && first >= 0) {
      out.push([first, k - 1]);
      first = -1;
    }
  }
  return out;
}

// Slopes at each point of a stretch by which the curve never leaves the values on both sides of it:
// F. N. Fritsch, R. E. Carlson, Monotone Piecewise Cubic Interpolation, SIAM J. Numer. Anal. 17 (1980), with the weighted
// harmonic mean of F. N. Fritsch, J. Butland (1984). All places must be numbers, and xs must grow.
export function slopes(xs, ys, a, b) {
  const out = new Float64Array(b - a + 1),
    rise = (k) => (ys[k + 1] - ys[k]) / (xs[k + 1] - xs[k] || 1);
  if (b === a) return out;
  out[0] = rise(a);
  out[b - a] = rise(b - 1);
  for (let k = a + 1; k < b; k++) {
    const d0 = rise(k - 1),
      d1 = rise(k),
      h0 = xs[k] - xs[k - 1],
      h1 = xs[k + 1] - xs[k],
      w0 = 2 * h1 + h0,
      w1 = h1 + 2 * h0;
    out[k - a] = d0 * d1 <= 0 ? 0 : (w0 + w1) / (w0 / d0 + w1 / d1);
  }
  return out;
}

// From the point a (where the pen is) to b, or backwards if b is less; curve as in the settings of a time chart.
export function walk(pen, xs, ys, a, b, curve) {
  const step = a < b ? 1 : -1,
    low = Math.min(a, b),
    m = curve === 'smooth' ? slopes(xs, ys, low, Math.max(a, b)) : null;
  for (let k = a; k !== b; k += step) {
    const to = k + step;
    if (m) {
      const third = (xs[to] - xs[k]) / 3;
      pen.bezierCurveTo(xs[k] + third, ys[k] + m[k - low] * third, xs[to] - third, ys[to] - m[to - low] * third, xs[to], ys[to]);
      continue;
    }
    // The upright of a step stands at the earlier point if the step is before the value, else at the later one.
    const upright = curve === 'step before' ? Math.min(k, to) : curve === 'step after' ? Math.max(k, to) : -1;
    if (upright === k) pen.lineTo(xs[k], ys[to]);
    else if (upright === to) pen.lineTo(xs[to], ys[k]);
    pen.lineTo(xs[to], ys[to]);
  }
}

export function line(pen, { xs, ys, curve }) {
  for (const [a, b] of runs(ys)) {
    if (a === b) continue;
    pen.moveTo(xs[a], ys[a]);
    walk(pen, xs, ys, a, b, curve);
  }
}

// What lies between two courses.
export function ribbon(pen, { xs, ys, base, curve }) {
  for (const [a, b] of runs(ys, base)) {
    if (a === b) continue;
    pen.moveTo(xs[a], ys[a]);
    walk(pen, xs, ys, a, b, curve);
    pen.lineTo(xs[b], base[b]);
    walk(pen, xs, base, b, a, curve);
    pen.closePath();
  }
}

// Upright bars from xs, as wide as given, between ys and base; at least half a pixel each way.
export function bars(pen, { xs, ys, base, width }) {
  const w = Math.max(0.5, width);
  for (let k = 0; k < xs.length; k++) {
    if (Number.isNaN(ys[k]) || Number.isNaN(base[k])) continue;
    const top = Math.min(ys[k], base[k]),
      h = Math.max(0.5, Math.abs(ys[k] - base[k]));
    pen.moveTo(xs[k], top);
    pen.lineTo(xs[k] + w, top);
    pen.lineTo(xs[k] + w, top + h);
    pen.lineTo(xs[k], top + h);
    pen.closePath();
  }
}

// Round points at the chosen indices.
export function points(pen, { xs, ys, at, radius }) {
  for (const k of at) {
    if (Number.isNaN(ys[k])) continue;
    pen.moveTo(xs[k] + radius, ys[k]);
    pen.arc(xs[k], ys[k], radius, 0, Math.PI * 2);
  }
}
