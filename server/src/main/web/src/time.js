// Times and durations as text, in the time zone of the page.
export function duration(millis) {
  const sizes = [
    [6048e5, 'w'],
    [864e5, 'd'],
    [36e5, 'h'],
    [6e4, 'm'],
    [1e3, 's'],
  ];
  for (const [size, unit] of sizes) if (millis >= size && millis % size === 0) return millis / size + unit;
  return Math.max(1, Math.round(millis / 1000)) + 's';
}

export const zone = () => document.documentElement.dataset.zone || 'UTC';

const clocks = new Map();
export function time(ms, form) {
  const key = zone() + JSON.stringify(form);
  if (!clocks.has(key)) clocks.set(key, new Intl.DateTimeFormat('en-GB', { timeZone: zone(), hourCycle: 'h23', ...form }));
  return clocks.get(key).format(ms);
}
export const stamp = (ms) =>
  time(ms, { weekday: 'short', day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit', second: '2-digit' });
export const typed = (ms) =>
  time(ms, { year: 'numeric', month: '2-digit', day: '2-digit', hour: '2-digit', minute: '2-digit' }).replace(
    /(\d+)\/(\d+)\/(\d+), /,
    '$3-$2-$1 ',
  );
export const clock = (ms) => time(ms, { hour: '2-digit', minute: '2-digit', second: '2-digit' });
