// A rule: what it watches as a chart with its limits, and what it would have done in the range of the page.
import { current, onRange } from './range.js';
import { el, ending, post } from './dom.js';
import { live } from './live.js';
import { load } from './kinds/index.js';

const root = document.querySelector('[data-rule]'),
  body = root.querySelector('[data-chart]'),
  rehearsal = root.querySelector('[data-rehearsal]'),
  says = root.querySelector('[data-says]'),
  at = `/watch/rules/${encodeURIComponent(root.dataset.rule)}`,
  page = ending('rule');
let view = null,
  chart = null,
  told = null;

async function draw() {
  chart?.abort();
  chart = new AbortController();
  const { signal } = chart;
  try {
    const fields = { ...current(), page, width: body.clientWidth, height: body.clientHeight },
      [w, h] = view?.size() ?? [0, 0];
    const data = await post(`${at}/chart`, { ...fields, 'plot-width': w, 'plot-height': h }, signal);
    if (!data.drawing) {
      view?.dispose();
      view = null;
      body.replaceChildren(el('div', { class: 'empty', role: 'status' }, data.empty?.text ?? 'Nothing to draw.'));
      return;
    }
    if (!view) {
      body.replaceChildren();
      view = (await load('time-chart'))(body);
    }
    view.update(data.drawing);
  } catch (e) {
    if (e.name !== 'AbortError' && !view) body.replaceChildren(el('p', { class: 'fault', role: 'status' }, e.message));
  }
}

// The last rehearsal stays, faded, until the next one is there.
async function rehearse() {
  told?.abort();
  told = new AbortController();
  const { signal } = told;
  rehearsal.setAttribute('aria-busy', 'true');
  try {
    const answer = await fetch(`${at}/rehearsal?${new URLSearchParams(current())}`, { signal });
    if (!answer.ok) throw new Error('The rehearsal failed. Reload the page to try again.');
    const read = new DOMParser().parseFromString(await answer.text(), 'text/html');
    says.replaceChildren(read.querySelector('.rehearsal-says, .fault'));
    rehearsal.replaceChildren(...read.querySelectorAll('.strip-rows'));
  } catch (e) {
    if (e.name === 'AbortError') return;
    says.replaceChildren(el('p', { class: 'fault', role: 'status' }, e.message));
  }
  rehearsal.removeAttribute('aria-busy');
}

live(draw);
onRange(rehearse);
draw();
rehearse();
