// The time rail: a strip with the density of samples and alert ticks, and the window on it.
import { bounds, current, follow, follows, onRange, setRange } from './range.js';
import { duration, typed } from './time.js';

const SPANS = [36e5, 3 * 36e5, 6 * 36e5, 12 * 36e5, 864e5, 2 * 864e5, 6048e5, 4 * 6048e5];

// What a dashboard fixes goes along with what is asked of times.
const fixed = () =>
  document.documentElement.dataset.fixedZone ? `&page-zone=${encodeURIComponent(document.documentElement.dataset.zone)}` : '';

// What fills the strip's height: 1.6 times the median of what there is, as for the strips of sources, so that neither a
// load nor history that came at once flattens the rest.
function usual(density) {
  const some = density.filter((n) => n > 0).sort((a, b) => a - b);
  return some.length ? Math.min(some.at(-1), 1.6 * some[(some.length - 1) >> 1]) : 1;
}

// Starts a rail in its element; pages without one pass null.
export function rail(host) {
  if (!host) return;
  const strip = host.querySelector('.strip'),
    canvas = strip.querySelector('canvas'),
    win = strip.querySelector('.window');
  let data,
    span = 864e5,
    end = 0;

  async function load() {
    try {
      const answer = await fetch(`/rail?span=${duration(span)}&end=${end}&width=${strip.clientWidth}${fixed()}`);
      if (answer.ok) data = await answer.json();
      draw();
    } catch {
      /* the next turn tries again */
    }
  }

  const left = () => (end || Date.now()) - span;
  const x = (t) => ((t - left()) / span) * strip.clientWidth;
  const t = (px) => left() + (px / strip.clientWidth) * span;

  function draw() {
    if (!data) return show();
    const ratio = devicePixelRatio || 1,
      w = strip.clientWidth,
      h = strip.clientHeight;
    canvas.width = w * ratio;
    canvas.height = h * ratio;
    const g = canvas.getContext('2d'),
      css = getComputedStyle(document.documentElement);
    const ink = (name) => css.getPropertyValue(name).trim();
    g.scale(ratio, ratio);
    g.clearRect(0, 0, w, h);
    const base = h - 18,
      most = usual(data.density),
      part = (data.to - data.from) / data.density.length;
    g.beginPath();
    data.density.forEach((n, i) => {
      const px = x(data.from + (i + 0.5) * part),
        py = base - 1 - Math.min(1, n / most) * (base - 16);
      i ? g.lineTo(px, py) : g.moveTo(px, py);
    });
    g.strokeStyle = ink('--faint');
    g.lineWidth = 1;
    g.stroke();
    g.strokeStyle = ink('--line');
    g.beginPath();
    g.moveTo(0, base + 0.5);
    g.lineTo(w, base + 0.5);
    g.stroke();
    g.fillStyle = ink('--faint');
    g.font = '11.5px "Atkinson Mono", monospace';
    g.textBaseline = 'middle';
    for (const tick of data.timeTicks || data.ticks) {
      const px = x(tick.at);
      g.fillRect(Math.round(px), base, 1, 4);
      const width = g.measureText(tick.text).width;
      if (px - width / 2 > 0 && px + width / 2 < w) g.fillText(tick.text, px - width / 2, base + 11);
    }
    // How long there were alerts, and when each began.
    for (const { from, to, priority } of data.raised) {
      g.fillStyle = ink('--' + priority);
      g.fillRect(x(from), 5, Math.max(1, x(to) - x(from)), 3);
    }
    for (const alert of data.alerts) {
      g.fillStyle = ink('--' + (alert.priority || 'medium'));
      g.fillRect(Math.round(x(alert.at)) - 1, 5, 2, 9);
    }
    show();
  }

  function show() {
    const b = bounds();
    const a = Math.max(-4, x(b.from)),
      z = Math.min(strip.clientWidth + 4, x(b.to));
    win.style.left = a + 'px';
    win.style.width = Math.max(3, z - a) + 'px';
    win.hidden = z < 0 || a > strip.clientWidth;
    const on = follows();
    host.querySelector('[data-follow]').setAttribute('aria-pressed', on);
    host.querySelector('[data-hold]').setAttribute('aria-pressed', !on);
    for (const preset of host.querySelectorAll('[data-span]')) {
      preset.setAttribute('aria-pressed', on && current().from === '-' + preset.dataset.span);
    }
    const [from, to] = host.querySelectorAll('.typed');
    // What somebody has begun to type stays until it is entered or given up.
    if (!from.dataset.touched) from.value = on || isNaN(b.from) ? current().from : typed(b.from);
    if (!to.dataset.touched) to.value = on || isNaN(b.to) ? current().to : typed(b.to);
    for (const [side, at] of [
      ['a', b.from],
      ['b', b.to],
    ]) {
      const handle = win.querySelector('.' + side);
      handle.setAttribute('aria-valuenow', Math.round(at));
      handle.setAttribute('aria-valuetext', typed(at || 0));
    }
  }

  // A range that lies outside the strip moves the strip.
  function keepInView() {
    const b = bounds();
    if (isNaN(b.from)) return;
    if (b.to - b.from > span) span = SPANS.find((s) => s >= b.to - b.from) || SPANS.at(-1);
    if (b.from < left() || b.to > (end || Date.now()) + 1000) end = b.to >= Date.now() - span ? 0 : Math.min(Date.now(), b.to + span / 4);
    load();
  }

  function controls() {
    const pace = host.querySelector('[data-pace]');
    // A dashboard may have its own pace; what is chosen there holds until the page is left.
    const own = { '5s': '5', '10s': '10', '30s': '30', '1m': '60', off: '0' }[document.querySelector('[data-refresh]')?.dataset.refresh];
    pace.value = own ?? localStorage.getItem('vintrel-pace') ?? '10';
    if (!own) pace.addEventListener('change', () => localStorage.setItem('vintrel-pace', pace.value));
    for (const preset of host.querySelectorAll('[data-span]')) {
      preset.addEventListener('click', () => setRange('-' + preset.dataset.span, 'now'));
    }
    // On a phone, what is typed and chosen of times is seen on request.
    const more = host.querySelector('[data-more-times]');
    more.addEventListener('click', () => more.setAttribute('aria-expanded', host.classList.toggle('open')));
    host.querySelector('[data-follow]').addEventListener('click', () => {
      const b = bounds();
      end = 0;
      follow(Math.round((b.to - b.from) / 1000) * 1000);
    });
    host.querySelector('[data-hold]').addEventListener('click', () => {
      const b = bounds();
      setRange(Math.round(b.from), Math.round(b.to));
    });
    const fields = [...host.querySelectorAll('.typed')];
    const untouch = () => fields.forEach((f) => delete f.dataset.touched);
    for (const field of fields) {
      field.addEventListener('keydown', async (e) => {
        if (e.key === 'Escape') {
          untouch();
          show();
        }
        if (e.key !== 'Enter') return;
        const [from, to] = fields.map((f) => f.value.trim());
        if (from.startsWith('-') && (to === 'now' || to === '')) {
          untouch();
          return setRange(from, 'now');
        }
        const answer = await fetch('/rail/range?' + new URLSearchParams({ from, to: to || 'now' }) + fixed());
        const body = await answer.json();
        field.setCustomValidity(answer.ok ? '' : body.error.text);
        if (answer.ok) {
          untouch();
          document.activeElement.blur();
          setRange(body.from, body.to);
        } else field.reportValidity();
      });
      field.addEventListener('input', () => {
        field.dataset.touched = 'yes';
        field.setCustomValidity('');
      });
    }
  }

  function commit(from, to) {
    const now = Date.now(),
      length = Math.max(1000, to - from);
    if (to >= now - Math.max(2000, span / 400)) follow(Math.round(length / 1000) * 1000);
    else setRange(Math.round(from), Math.round(to));
  }

  function gestures() {
    strip.addEventListener('pointerdown', (e) => {
      if (e.button !== 0) return;
      const b = bounds(),
        start = t(
          e.offsetX +
            (e.target === strip || e.target === canvas ? 0 : e.target.getBoundingClientRect().left - strip.getBoundingClientRect().left),
        );
      const side = e.target.classList.contains('handle')
        ? e.target.classList.contains('a')
          ? 'a'
          : 'b'
        : e.target === win
          ? 'move'
          : 'new';
      const at = (ev) => t(ev.clientX - strip.getBoundingClientRect().left);
      let from = b.from,
        to = b.to,
        moved = false;
      const move = (ev) => {
        const d = at(ev) - start;
        if (!moved && Math.abs(ev.clientX - e.clientX) < 3) return;
        moved = true;
        const now = Date.now();
        if (side === 'a') from = Math.min(b.from + d, to - 1000);
        if (side === 'b') to = Math.max(Math.min(b.to + d, now), from + 1000);
        if (side === 'move') {
          const s = Math.min(d, now - b.to);
          from = b.from + s;
          to = b.to + s;
        }
        if (side === 'new') {
          from = Math.min(start, at(ev));
          to = Math.min(now, Math.max(start, at(ev)));
        }
        win.hidden = false;
        win.style.left = x(from) + 'px';
        win.style.width = Math.max(3, x(to) - x(from)) + 'px';
      };
      const up = () => {
        removeEventListener('pointermove', move);
        removeEventListener('pointerup', up);
        if (moved) commit(from, to);
      };
      addEventListener('pointermove', move);
      addEventListener('pointerup', up);
      e.preventDefault();
    });
    strip.addEventListener('dblclick', () => commit(left(), end || Date.now()));
    strip.addEventListener(
      'wheel',
      (e) => {
        e.preventDefault();
        const at = SPANS.findIndex((s) => s >= span),
          next = SPANS[Math.max(0, Math.min(SPANS.length - 1, at + (e.deltaY > 0 ? 1 : -1)))];
        if (next === span) return;
        const pointer = t(e.clientX - strip.getBoundingClientRect().left),
          share = (pointer - left()) / span,
          now = Date.now();
        span = next;
        const newEnd = pointer + (1 - share) * span;
        end = newEnd >= now - span / 20 ? 0 : newEnd;
        load();
      },
      { passive: false },
    );
    win.addEventListener('keydown', (e) => {
      const b = bounds(),
        step = ((b.to - b.from) / (e.shiftKey ? 2 : 10)) * (e.key === 'ArrowLeft' ? -1 : 1);
      if (e.key !== 'ArrowLeft' && e.key !== 'ArrowRight') return;
      e.preventDefault();
      const side = e.target.classList.contains('a') ? 'a' : e.target.classList.contains('b') ? 'b' : 'move';
      commit(side === 'b' ? b.from : b.from + step, side === 'a' ? b.to : Math.min(Date.now(), b.to + step));
    });
  }

  const b = bounds();
  if (b.to - b.from > span) span = SPANS.find((s) => s >= b.to - b.from) || SPANS.at(-1);
  if (b.to < Date.now() - span) end = Math.min(Date.now(), b.to + span / 4);
  controls();
  gestures();
  onRange(() => {
    keepInView();
    show();
  });
  new ResizeObserver(draw).observe(strip);
  document.addEventListener('vintrel:theme', draw);
  load();
  setInterval(load, 15000);
  setInterval(() => follows() && show(), 1000);
}
