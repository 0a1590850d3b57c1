// One value of a data sheet: a button that steps, opens its choices, or is typed in place.
import { pick } from '../pick.js';
import { feed, read as fed } from './feed.js';
import { el } from '../dom.js';

const TRUTH = ['on', 'off'],
  truths = (s) => s.says ?? TRUTH;

const FORMS = {
  truth: { choices: truths, say: (v, s) => truths(s)[v ? 0 : 1], read: (t, s) => (truths(s).includes(t) ? t === truths(s)[0] : undefined) },
  choice: { choices: (s) => s.choices, say: (v) => v || 'none', read: (t, s) => (s.choices.includes(t) ? t : undefined) },
  number: {
    say: (v, s) => (v == null ? 'auto' : v === 0 && s.zero ? s.zero : String(v)),
    read: (t, s) => (s.zero && t === s.zero ? 0 : Number.isFinite(Number(t)) ? Number(t) : undefined),
    number: true,
  },
  list: {
    say: (v) => (v?.length ? v.join(', ') : 'none'),
    read: (t) =>
      t
        .split(',')
        .map((x) => x.trim())
        .filter(Boolean),
  },
  map: {
    say: (v) =>
      Object.entries(v ?? {})
        .map(([k, x]) => `${k}: ${x}`)
        .join(', ') || 'none',
    read: (t) =>
      Object.fromEntries(
        t
          .split(',')
          .map((part) => part.split(/:(.*)/s).map((x) => x?.trim()))
          .filter(([k, x]) => k && x),
      ),
  },
  duration: { say: (v) => (v && v !== '0s' ? v : 'none'), read: (t) => t },
  text: { say: (v, s) => v || s?.empty || 'none', read: (t) => t },
};
const formOf = (s) => FORMS[s.form] ?? FORMS.text;

export const said = (s, value) => formOf(s).say(value ?? s.otherwise, s);

// `get` and `set` are of the value; undefined is the default. `feeds` knows the lines that a number can come from, and
// `place` is the setting's place in the panel.
export function value(s, { get, set, feeds, place }) {
  const form = formOf(s),
    choices = form.choices?.(s),
    now = () => get() ?? s.otherwise;
  const out = el('button', {
    type: 'button',
    class: 'value',
    title: `${s.about}${choices ? ` Choices: ${choices.join(', ')}.` : ''} Delete sets the default back`,
  });

  const fedNow = () => (feeds && form.number ? fed(get()) : null),
    openFeed = (typed = false) => feed(out, s, { get, set: put, place, feeds, typed });

  function show() {
    const from = fedNow(),
      gave = from && feeds.at(place);
    out.classList.toggle('fault', !!gave?.fault);
    if (from) {
      out.replaceChildren(`= ${from.line}`, el('span', { class: 'fed' }, gave ? gave.text : ' …'));
      out.title = gave ? (gave.fault ? `${gave.fault}; ${gave.text} holds` : `Read ${feeds.age(gave.at) || 'now'}`) : 'Reading …';
    } else out.textContent = form.say(now(), s);
    out.classList.toggle('changed', get() !== undefined);
  }

  function put(v) {
    set(v === undefined || JSON.stringify(v) === JSON.stringify(s.otherwise) ? undefined : v);
    show();
  }

  // Typed in place: Enter or leaving takes it, Escape leaves all as it was.
  function type() {
    const long = s.form === 'text' && s.long;
    const input = el(long ? 'textarea' : 'input', {
      class: 'field in-place' + (form.number ? ' num' : ''),
      'aria-label': s.label,
      ...(long ? { rows: '6' } : {}),
    });
    input.value = now() == null ? '' : s.form === 'text' ? now() : form.say(now(), s) === 'none' ? '' : form.say(now(), s);
    let done = false;
    const why = el('span', { class: 'fault why', role: 'alert' }),
      // A press on it must not end the typing first.
      line = el(
        'button',
        {
          type: 'button',
          class: 'from-line',
          title: 'Take the value from a line of this panel; or type =',
          onpointerdown: (e) => e.preventDefault(),
          onclick: () => {
            take(false);
            openFeed(true);
          },
        },
        'from a line…',
      ),
      more = feeds && form.number ? [line, why] : [why];
    // What can't be read stays as it was typed, with the reason.
    const take = (keep) => {
      if (done) return true;
      if (keep) {
        const text = input.value.trim(),
          read =
            text === ''
              ? undefined
              : feeds && form.number && text.startsWith('=')
                ? fed(text)
                  ? text
                  : null
                : (form.read(text, s) ?? null);
        if (read === null) {
          input.setAttribute('aria-invalid', 'true');
          why.textContent = form.number ? `Not a number: “${text}”` : `Not possible here: “${text}”`;
          return false;
        }
        put(read);
      }
      done = true;
      for (const part of more) part.remove();
      input.replaceWith(out);
      show();
      return true;
    };
    input.addEventListener('keydown', (e) => {
      if (e.key === '=' && feeds && form.number && !input.value) {
        take(false);
        openFeed(true);
      } else if (e.key === 'Enter' && !(long && !e.ctrlKey)) {
        if (take(true)) out.focus();
      } else if (e.key === 'Escape') {
        take(false);
        out.focus();
      } else return;
      e.preventDefault();
      e.stopPropagation();
    });
    input.addEventListener('blur', () => take(true));
    input.addEventListener('input', () => {
      input.removeAttribute('aria-invalid');
      why.textContent = '';
    });
    out.replaceWith(input);
    input.after(...more);
    input.focus();
    input.select?.();
  }

  out.addEventListener('click', () => {
    if (choices)
      pick(
        out,
        choices.map((c) => c || 'none'),
        form.say(now(), s),
        (t) =>
          form.read(t === 'none' && choices.includes('') ? '' : t, s) !== undefined &&
          put(form.read(t === 'none' && choices.includes('') ? '' : t, s)),
      );
    else if (fedNow()) openFeed();
    else type();
  });
  out.addEventListener('keydown', (e) => {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
    if (e.key === '=' && feeds && form.number) openFeed(true);
    else if (by && choices) {
      const at = choices.indexOf(s.form === 'choice' ? now() : form.say(now(), s));
      put(form.read(choices[(at + by + choices.length) % choices.length], s));
    } else if (by && form.number && Number.isFinite(now()))
      put(Math.round((now() + by * (Number.isInteger(now()) ? 1 : 0.1)) * 1000) / 1000);
    else if (e.key === 'Delete' || e.key === 'Backspace') put(undefined);
    else return;
    e.preventDefault();
    e.stopPropagation();
  });
  show();
  out.show = show;
  return out;
}
