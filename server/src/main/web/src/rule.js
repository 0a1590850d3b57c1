// A rule: what its checks found as a chart with its limits, and what it would have done, in the range of the page.
import { bounds, current, follows, onRange } from './range.js';
import { el, ending } from './dom.js';
import { load } from './kinds/index.js';

// While the page follows, it is asked anew when the picture would move by a pixel or two, a minute apart at least.
const LEAST_MS = 60_000,
  PIXELS = 500,
  page = ending('rule');
const root = document.querySelector('[data-rule]'),
  body = root.querySelector('[data-chart]'),
  rows = root.querySelector('[data-rehearsal]'),
  says = root.querySelector('[data-says]');
let view = null,
  asked = null,
  last = 0;

async function draw(drawing) {
  if (!drawing?.picture.traces.length) {
    view?.dispose();
    view = null;
    body.replaceChildren(el('div', { class: 'empty', role: 'status' }, drawing ? 'No data in this range.' : ''));
    return;
  }
  if (!view) {
    const mount = await load('time-chart');
    body.replaceChildren();
    view = mount(body);
  }
  view.update(drawing);
}

// The last rehearsal stays, faded, until the next one is there.
async function rehearse() {
  asked?.abort();
  asked = new AbortController();
  last = Date.now();
  const { signal } = asked,
    slow = setTimeout(() => root.setAttribute('aria-busy', 'true'), 200);
  try {
    const p = new URLSearchParams({ ...current(), page, width: body.clientWidth }),
      answer = await fetch(`/watch/rules/${encodeURIComponent(root.dataset.rule)}/rehearsal?${p}`, { signal });
    if (!answer.ok) throw new Error('The rehearsal failed. Reload the page to try again.');
    const read = new DOMParser().parseFromString(await answer.text(), 'text/html');
    says.replaceChildren(read.querySelector('.rehearsal-says, .fault'));
    rows.replaceChildren(...read.querySelectorAll('.strip-rows'));
    const drawn = read.querySelector('[data-drawing]')?.dataset.drawing;
    await draw(drawn ? JSON.parse(drawn) : null);
  } catch (e) {
    if (e.name !== 'AbortError') says.replaceChildren(el('p', { class: 'fault', role: 'status' }, e.message));
  } finally {
    clearTimeout(slow);
    if (!signal.aborted) root.removeAttribute('aria-busy');
  }
}

onRange(rehearse);
setInterval(() => {
  const { from, to } = bounds();
  if (follows() && !document.hidden && Date.now() - last >= Math.max(LEAST_MS, (to - from) / PIXELS)) rehearse();
}, 5_000);
rehearse();
