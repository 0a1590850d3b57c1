// A query as lines and steps: chips that can be exchanged, switches, and what came out of each step.
// Every change is an operation that the server makes on the syntax tree.
import { sparkline } from './sparkline.js';
import { table } from './table.js';
import { pick } from './pick.js';
import { pickMetric } from './metric-pick.js';
import { el, post } from './dom.js';

const chipOf = (line, kind) => line.source.chips.find((c) => c.kind === kind)?.value ?? '';
export const metricOf = (line) => chipOf(line, 'metric');
export const storeOf = (line) => chipOf(line, 'store');

// What could stand in a place of a line.
export async function choices(kind, line, label = '') {
  const answer = await fetch(`/bench/choices?${new URLSearchParams({ kind, metric: metricOf(line), store: storeOf(line), label })}`);
  return answer.ok ? answer.json() : [];
}

// `query` gives the text that is shown; `change` takes the text after an operation, with what it was;
// `fault` is told what the server refused; `active` reads or sets the line that has the attention; `feeds` names the
// settings that a line feeds.
export function ledger(host, { query, change, fault, active, feeds = () => [] }) {
  const open = new Set(),
    folded = new Set();
  let lines = [],
    turn = Promise.resolve(),
    again = null;

  // One operation after the other, each on the text that the one before made.
  function edit(operation, words, renaming) {
    turn = turn
      .then(() => post('/queries/edit', { query: query(), edit: JSON.stringify(operation) }))
      .then(
        (made) => change(made.query, words, renaming),
        (e) => fault(e),
      );
    return turn;
  }

  function chipButton(chip, at, row, line) {
    if (chip.kind === 'plain') return el('span', { class: 'chip plain' }, chip.text);
    const button = el(
      'button',
      { type: 'button', class: 'chip ' + (chip.kind === 'step' ? 'word' : chip.kind), title: 'Change' },
      chip.text,
    );
    button.addEventListener('click', async () => {
      const become = (value) => edit({ edit: 'chip', line, row, chip: at, value }, `${chip.text} to ${value}`);
      if (chip.kind === 'metric' && !storeOf(lines[line]))
        return pickMetric(button, ({ metric }) => become(metric), { here: true, now: chip.value });
      const known = chip.choices.length ? chip.choices : await choices(chip.kind, lines[line], chip.label);
      pick(button, known, chip.kind === 'step' ? '' : chip.value, become);
    });
    return button;
  }

  function addCondition(line) {
    const button = el('button', { type: 'button', class: 'chip add', title: 'Add a condition' }, '+ where');
    button.addEventListener('click', async () => {
      pick(button, await choices('label', lines[line]), '', async (label) => {
        pick(button, await choices('value', lines[line], label), '', (value) => where(line, label, value));
      });
    });
    return button;
  }

  const where = (line, label, value) => edit({ edit: 'add-condition', line, label, is: '=', value }, `condition on ${label}`);

  // What comes out of a row: its picture over its shape in words; the words open its first rows.
  function gives(row, key) {
    if (!row.shape) return row.off ? el('div', { class: 'gives' }, el('span', { class: 'shape-words' }, 'switched off')) : null;
    const more = row.sample?.rows.length;
    return el(
      'div',
      { class: 'gives' },
      row.glimpse?.series.length ? sparkline(row.glimpse, 92, 20) : null,
      el(
        'button',
        {
          type: 'button',
          class: 'shape-words',
          'aria-expanded': String(open.has(key)),
          disabled: more ? null : '',
          title: row.took,
          onclick: () => {
            open.has(key) ? open.delete(key) : open.add(key);
            put(lines);
          },
        },
        row.shape + (more ? (open.has(key) ? ' ▾' : ' ▸') : ''),
      ),
    );
  }

  const details = (row, key) => (open.has(key) && row.sample ? table(row.sample) : null);

  function stepRow(step, i, at) {
    const key = `${at}/${i}/${step.text}`,
      count = lines[at].steps.length;
    const move = (to) => {
      if (to < 0 || to >= count) return;
      again = `[data-row="${at}/${to}"]`;
      edit({ edit: 'move-step', line: at, step: i, to }, `move ${step.text}`);
    };
    const toggle = () => {
      again = `[data-row="${at}/${i}"]`;
      edit({ edit: 'switch-step', line: at, step: i }, `switch ${step.text}`);
    };
    const remove = () => edit({ edit: 'remove-step', line: at, step: i }, `remove ${step.text}`);
    const act = (text, words, on) =>
      el('button', { type: 'button', title: words, 'aria-label': `${step.text}: ${words}`, onclick: on }, text);
    const row = el(
      'div',
      {
        class: 'step ledger-row' + (step.off ? ' off' : ''),
        draggable: 'true',
        tabindex: '0',
        'data-row': `${at}/${i}`,
        'aria-label': `Step ${i + 1}: ${step.text}${step.off ? ', off' : ''}. Space switches it, Alt and arrow keys move it, Delete removes it`,
        role: 'group',
      },
      el('span', { class: 'grip', 'aria-hidden': 'true' }, '⋮⋮'),
      el('button', {
        type: 'button',
        class: 'switch',
        role: 'switch',
        'aria-checked': String(!step.off),
        'aria-label': `${step.text}: on`,
        onclick: toggle,
      }),
      el(
        'span',
        { class: 'chips' },
        el('span', { class: 'then' }, 'then'),
        ...step.chips.map((c, k) => chipButton(c, k, i, at)),
        el(
          'span',
          { class: 'step-acts' },
          act('↑', 'up', () => move(i - 1)),
          act('↓', 'down', () => move(i + 1)),
          act('×', 'remove', remove),
        ),
      ),
      gives(step, key),
      details(step, key),
    );
    row.addEventListener('keydown', (e) => {
      if (e.target !== row) return;
      if (e.altKey && e.key === 'ArrowUp') move(i - 1);
      else if (e.altKey && e.key === 'ArrowDown') move(i + 1);
      else if (e.key === ' ') toggle();
      else if (e.key === 'Delete') remove();
      else if (e.key === 'Enter') row.querySelector('button.chip')?.click();
      else return;
      e.preventDefault();
      e.stopPropagation();
    });
    row.addEventListener('dragstart', (e) => {
      e.dataTransfer.setData('text/plain', step.text);
      host.dragged = { line: at, i };
      row.classList.add('dragged');
    });
    row.addEventListener('dragend', () => row.classList.remove('dragged'));
    row.addEventListener('dragover', (e) => {
      if (host.dragged?.line === at) e.preventDefault();
    });
    row.addEventListener('drop', (e) => {
      e.preventDefault();
      if (host.dragged?.line === at && host.dragged.i !== i)
        edit({ edit: 'move-step', line: at, step: host.dragged.i, to: i }, `move ${lines[at].steps[host.dragged.i].text}`);
      host.dragged = null;
    });
    return row;
  }

  function addStep(at) {
    const button = el('button', { type: 'button', class: 'chip add' }, '+ then');
    button.addEventListener('click', async () => {
      pick(button, await choices('step', lines[at]), '', (text) =>
        edit({ edit: 'add-step', line: at, at: lines[at].steps.length, text }, `step ${text}`),
      );
    });
    return button;
  }

  function head(line, at) {
    const name = el('input', {
      class: 'line-name',
      'aria-label': 'Name of the line',
      value: line.name || '',
      placeholder: lines.length > 1 ? 'name' : 'no name',
      size: line.name ? Math.max(3, line.name.length + 1) : 8,
    });
    name.addEventListener('change', () =>
      edit({ edit: 'rename-line', line: at, name: name.value.trim() }, `rename ${line.name || 'the line'}`, {
        from: line.name,
        to: name.value.trim(),
      }),
    );
    const act = (text, words, on, more = {}) =>
      el('button', { type: 'button', title: words, 'aria-label': `${words}: ${line.name || at + 1}`, onclick: on, ...more }, text);
    const isFolded = folded.has(line.name),
      fed = line.name ? feeds(line.name) : [];
    return el(
      'div',
      { class: 'line-head' },
      name,
      el(
        'span',
        { class: 'note' },
        [line.hidden ? 'hidden' : '', fed.length ? `used by ${fed.join(', ')}` : ''].filter(Boolean).join(', '),
      ),
      el(
        'span',
        { class: 'line-acts' },
        line.name
          ? act(line.hidden ? 'Show' : 'Hide', line.hidden ? 'Draw the line' : 'Do not draw the line; others can still use it', () =>
              edit({ edit: 'show-line', line: at }, `${line.hidden ? 'show' : 'hide'} ${line.name}`),
            )
          : null,
        line.name
          ? act(
              isFolded ? 'Open' : 'Collapse',
              isFolded ? 'Show its steps' : 'Show it as text',
              () => {
                isFolded ? folded.delete(line.name) : folded.add(line.name);
                put(lines);
              },
              { 'aria-expanded': String(!isFolded) },
            )
          : null,
        act('×', 'Remove line', () => {
          // What it feeds now: an undo may have come after the rows were made.
          const now = line.name ? feeds(line.name) : [];
          if (now.length) fault(new Error(`${line.name} is used by ${now.join(' and ')}. Replace it there with a number first.`));
          else if (lines.length > 1) edit({ edit: 'remove-line', line: at }, `remove ${line.name}`);
          else change('', 'remove the line');
        }),
      ),
    );
  }

  // A folded line is its own query text, with what comes out at its end.
  function foldedRow(line) {
    const all = [line.source, ...line.steps],
      last = all.findLast((r) => !r.off && r.shape) ?? line.source,
      text = [line.source.text, ...line.steps.map((s) => (s.off ? `off ${s.text}` : s.text))];
    return el(
      'div',
      { class: 'ledger-row folded' },
      el('code', {}, ...text.flatMap((t, i) => (i ? [' ', el('b', {}, 'then'), ` ${t}`] : [t]))),
      gives({ ...last, sample: null }, ''),
    );
  }

  function lineBox(line, at) {
    const source = line.plain
      ? [
          ...line.source.chips.map((c, k) => chipButton(c, k, -1, at)),
          line.source.chips[0]?.kind === 'metric' || line.source.chips[0]?.text === 'events' ? addCondition(at) : null,
        ]
      : [el('code', { class: 'chip plain' }, line.source.text)];
    const key = `${at}/${line.source.text}`;
    const rows = folded.has(line.name)
      ? [foldedRow(line)]
      : [
          el(
            'div',
            { class: 'ledger-row source' },
            el('span', { class: 'chips' }, ...source),
            gives(line.source, key),
            details(line.source, key),
          ),
          ...line.steps.map((s, i) => stepRow(s, i, at)),
          addStep(at),
        ];
    const box = el('div', { class: 'line' + (active() === at ? ' active' : ''), 'data-line': at }, head(line, at), ...rows);
    box.addEventListener('focusin', () => active(at));
    box.addEventListener('click', () => active(at));
    return box;
  }

  // Up and Down go from row to row.
  host.addEventListener('keydown', (e) => {
    const row = e.target.closest?.('.step');
    if (!row || e.target !== row || e.altKey || !/^Arrow(Up|Down)$/.test(e.key)) return;
    const all = [...host.querySelectorAll('.step')],
      next = all[all.indexOf(row) + (e.key === 'ArrowUp' ? -1 : 1)];
    if (next) {
      next.focus();
      e.preventDefault();
    }
  });

  function put(data) {
    // Focus stays where it was, though all rows are made again.
    const was = again ?? (host.contains(document.activeElement) ? place(document.activeElement) : null);
    again = null;
    lines = data;
    host.replaceChildren(...lines.map(lineBox));
    if (was) host.querySelector(was)?.focus({ preventScroll: true });
  }

  function place(at) {
    const row = at.closest('[data-row]'),
      line = at.closest('[data-line]');
    if (row) {
      const i = [...row.querySelectorAll('button')].indexOf(at);
      return `[data-row="${row.dataset.row}"]` + (i < 0 ? '' : ` button.${at.classList[0]}`);
    }
    return line && at.classList.contains('line-name') ? `[data-line="${line.dataset.line}"] .line-name` : null;
  }

  return { put, lines: () => lines, edit, where };
}
