// When to ask again: on a new range at once, while following at the pace that the person chose.
import { follows, onRange } from './range.js';

export function live(refresh) {
  const pace = document.querySelector('[data-pace]');
  let timer;
  const arm = () => {
    clearInterval(timer);
    const seconds = Number(pace?.value ?? 10);
    if (seconds > 0)
      timer = setInterval(() => {
        if (follows() && !document.hidden) refresh(false);
      }, seconds * 1000);
  };
  pace?.addEventListener('change', arm);
  onRange(() => refresh(true));
  document.addEventListener('visibilitychange', () => {
    if (!document.hidden && follows()) refresh(false);
  });
  arm();
}
