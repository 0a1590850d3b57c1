// What every page runs: htmx, Alpine, the rail, keys, theme and zone.
import './htmx.js';
import Alpine from '@alpinejs/csp';
import { rail } from './rail.js';
import { liveParts } from './parts.js';
import { cookie, post } from './dom.js';

document.addEventListener('htmx:config:request', (e) => {
  const headers = e.detail.ctx?.request?.headers;
  if (headers) headers['X-CSRF-TOKEN'] = document.querySelector('meta[name=csrf]')?.content || '';
});

// An error of a partial refresh is said in one line and leaves the page as it was; a session that has
// ended answers with the sign-in page, which belongs in the whole window.
document.addEventListener('htmx:before:swap', (e) => {
  const response = e.detail.ctx?.response;
  const gone = response?.raw?.redirected && new URL(response.raw.url).pathname === '/signin';
  if (gone) location.reload();
  if (gone || response?.status >= 400) e.preventDefault();
  say(!gone && response?.status >= 400 ? `Refresh failed (http.${response.status}). The data shown may be out of date.` : '');
});
document.addEventListener('htmx:error', () => say('Server unreachable. The data shown may be out of date.'));

function say(text) {
  const line = document.querySelector('#trouble');
  if (line) line.textContent = text;
}

// Theme: as chosen, else as the system has it.
const dark = matchMedia('(prefers-color-scheme: dark)');
function theme(choice) {
  document.documentElement.dataset.theme = choice === 'system' ? (dark.matches ? 'night' : 'day') : choice;
  document.dispatchEvent(new Event('vintrel:theme'));
}
const chosen = () => document.documentElement.dataset.choice || 'system';
theme(chosen());
dark.addEventListener('change', () => theme(chosen()));

// The zone of this browser, until the person chooses another.
const here = Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC';
if (!/vintrel-zone=/.test(document.cookie)) {
  cookie('vintrel-zone', here.replaceAll('/', '%2F'));
  document.documentElement.dataset.zone = here;
  for (const name of document.querySelectorAll('[data-zone-button]')) name.textContent = here;
}

// The zone is chosen from the list that the browser knows; the pages are drawn again in it.
for (const button of document.querySelectorAll('[data-zone-button]:not([disabled])'))
  button.addEventListener('click', async () => {
    const { pick } = await import('./pick.js'),
      browser = `${here} (this browser)`;
    pick(button, [browser, 'UTC', ...Intl.supportedValuesOf('timeZone')], '', async (text) => {
      const zone = text === browser ? '' : text;
      try {
        await post('/prefs/zone', { zone });
      } catch (e) {
        button.title = e.message;
        button.textContent = 'not known';
        return;
      }
      location.reload();
    });
  });

Alpine.data('theme', () => ({
  choice: chosen(),
  pick(e) {
    this.choice = e.currentTarget.dataset.choice;
    document.documentElement.dataset.choice = this.choice;
    cookie('vintrel-theme', this.choice);
    theme(this.choice);
  },
  get isDay() {
    return this.choice === 'day';
  },
  get isNight() {
    return this.choice === 'night';
  },
  get isSystem() {
    return this.choice === 'system';
  },
}));

Alpine.data('goto', () => ({
  open: false,
  text: '',
  places: [],
  at: 0,
  async show() {
    this.open = true;
    this.text = '';
    this.at = 0;
    this.$nextTick(() => this.$refs.input.focus());
    if (!this.places.length) this.places = await (await fetch('/goto')).json().catch(() => []);
  },
  close() {
    this.open = false;
  },
  get found() {
    const words = this.text.toLowerCase().split(/\s+/).filter(Boolean);
    return (
      this.places
        .filter((p) => words.every((w) => (p.kind + ' ' + p.title).toLowerCase().includes(w)))
        // What begins with the words comes first; else as the server orders them.
        .sort((a, b) => words.length && b.title.toLowerCase().startsWith(words[0]) - a.title.toLowerCase().startsWith(words[0]))
        .slice(0, 12)
        .map((p, i) => ({ ...p, mark: i === this.at ? 'at' : '' }))
    );
  },
  get nothing() {
    return this.places.length > 0 && this.found.length === 0;
  },
  type(e) {
    this.text = e.target.value;
    this.at = 0;
  },
  key(e) {
    const n = this.found.length;
    if (e.key === 'ArrowDown') {
      this.at = Math.min(n - 1, this.at + 1);
      e.preventDefault();
    }
    if (e.key === 'ArrowUp') {
      this.at = Math.max(0, this.at - 1);
      e.preventDefault();
    }
    if (e.key === 'Enter' && n) location.href = this.found[this.at].url;
    if (e.key === 'Escape') this.close();
  },
  init() {
    document.addEventListener('keydown', (e) => {
      if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 'k') {
        e.preventDefault();
        this.show();
      }
    });
  },
}));

Alpine.data('help', () => ({
  open: false,
  close() {
    this.open = false;
  },
  init() {
    document.addEventListener('keydown', (e) => {
      const typing = e.target.closest?.('input, textarea, select, .editor');
      if (e.key === '?' && !typing) this.open = true;
      if (e.key === 'Escape') this.open = false;
    });
    for (const b of document.querySelectorAll('[data-keys]'))
      b.addEventListener('click', () => {
        b.closest('details').open = false;
        this.open = true;
      });
  },
}));
// After the page's own script, which asks for what the page is about.
setTimeout(() => {
  rail(document.querySelector('.rail'));
  liveParts();
  Alpine.start();
  // Its parts are there from the start: charts and tables that come and go are none of its business.
  Alpine.stopObservingMutations();
});

// The tabs of the Bench keep what was asked there, in the range of the page that is left.
document.addEventListener('click', (e) => {
  const link = e.target.closest?.('[data-keep]');
  if (!link) return;
  const p = new URLSearchParams(sessionStorage.getItem('vintrel-' + link.dataset.keep) ?? ''),
    here = new URLSearchParams(location.search);
  for (const end of ['from', 'to']) if (here.has(end)) p.set(end, here.get(end));
  link.href = link.pathname + (p.size ? `?${p}` : '');
});

// A menu that asks for a name is opened to type it.
document.addEventListener('toggle', (e) => e.target.open && e.target.querySelector?.('form.make [name=title]')?.focus(), true);

// Closes open menus on a click elsewhere and on Escape.
document.addEventListener('click', (e) => {
  for (const menu of document.querySelectorAll('details.menu[open]')) if (!menu.contains(e.target)) menu.open = false;
});
document.addEventListener('keydown', (e) => {
  if (e.key === 'Escape') for (const menu of document.querySelectorAll('details.menu[open]')) menu.open = false;
});
