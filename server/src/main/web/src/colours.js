// Colours of the theme, read once: asking the browser for each makes it lay out the page again.
const known = new Map();
document.addEventListener('vintrel:theme', () => known.clear());

export function colour(name) {
  let c = known.get(name);
  if (c === undefined) known.set(name, (c = getComputedStyle(document.documentElement).getPropertyValue(name).trim()));
  return c;
}
