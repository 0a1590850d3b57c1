// Puts the labels of a strip's axis where they belong; the server says at which of its 240 places.
export function ticks(host) {
  for (const tick of host.querySelectorAll('.tick')) tick.style.left = `${(tick.dataset.x / 240) * 100}%`;
}
