// The query as lines and steps: chips that can be exchanged, switches, what came out of each step.
import { sparkline } from './sparkline.js';
import { table } from './table.js';
import { pick } from './pick.js';
import { el } from './dom.js';

// The text of a ledger: what the server printed, put together again.
export function compose(lines) {
  return lines
    .map(
      (l) =>
        (l.hidden ? 'hidden ' : '') +
        (l.name ? l.name + ': ' : '') +
        l.source.text +
        l.steps.map((s) => ' then ' + (s.off ? 'off ' : '') + s.text).join(''),
    )
    .join('\n');
}

export const named = (name) => (/^[\p{L}_][\p{L}\p{N}_]*(\.[\p{L}\p{N}_]+)*$/u.test(name) ? name : `"${name.replaceAll('"', '""')}"`);
export const quoted = (text) => `'${text.replaceAll("'", "''")}'`;
export const freeName = (lines) =>
  'abcdefghijklmnopqrstuvwxyz'.split('').find((n) => !lines.some((l) => l.name === n)) || 'line' + lines.length;
export const metricOf = (line) => (line.source.chips[0]?.kind === 'metric' ? line.source.chips[0].text.replace(/^"|"$/g, '') : '');

export const storeOf = (line) => line.source.chips.find((c) => c.kind === 'store')?.text.replace(/^"|"$/g, '') || '';

// What could stand in a place of a line.
export async function choices(kind, line, label = '') {
  const answer = await fetch(`/bench/choices?${new URLSearchParams({ kind, metric: metricOf(line), store: storeOf(line), label })}`);
  return answer.ok ? answer.json() : [];
}

export function ledger(host, { change, active }) {
  const open = new Set();
  let lines = [];

  function chipButton(chip, at, row, line) {
    if (chip.kind === 'plain') return el('span', { class: 'chip plain' }, chip.text);
    const button = el(
      'button',
      { type: 'button', class: 'chip ' + (chip.kind === 'step' ? 'word' : chip.kind), title: 'Change' },
      chip.text,
    );
    button.addEventListener('click', async () => {
      const known = chip.choices.length ? chip.choices : await choices(chip.kind, line, chip.label);
      const value = chip.kind === 'value';
      const now = value || chip.kind === 'text' ? chip.text.replace(/^'|'$/g, '').replaceAll("''", "'") : chip.text;
      pick(button, known, chip.kind === 'step' ? '' : now, (text) => {
        if (chip.kind === 'step') row.text = text;
        else {
          const words = row.chips.map((c) => c.text);
          words[at] =
            value || chip.kind === 'text'
              ? text.startsWith('$')
                ? text
                : quoted(text)
              : ['label', 'metric', 'store'].includes(chip.kind)
                ? named(text)
                : text;
          row.text = join(words);
        }
        change(compose(lines));
      });
    });
    return button;
  }

  const join = (words) =>
    words.join(' ').replaceAll(' ,', ',').replaceAll('( ', '(').replaceAll(' )', ')').replaceAll('- ', '-').replaceAll(' :', ':');

  function addCondition(line) {
    const button = el('button', { type: 'button', class: 'chip add', title: 'Add a condition' }, '+ where');
    button.addEventListener('click', async () => {
      pick(button, await choices('label', line), '', async (label) => {
        pick(button, await choices('value', line, label), '', (value) => {
          where(line, label, value);
          change(compose(lines));
        });
      });
    });
    return button;
  }

  function shape(row) {
    if (!row.shape) return null;
    const key = row;
    const more = row.sample && row.sample.rows.length;
    const read = row.tier && row.tier !== 'raw' ? `, from the ${row.tier} tier` : '';
    const words = el(
      'button',
      {
        type: 'button',
        class: 'shape-words',
        'aria-expanded': String(open.has(row.text)),
        disabled: more ? null : '',
        title: `${row.ms.toFixed(1)} ms`,
        onclick: () => {
          open.has(key.text) ? open.delete(key.text) : open.add(key.text);
          put(lines);
        },
      },
      (more ? (open.has(row.text) ? '▾ ' : '▸ ') : '') + row.shape + read,
    );
    return el('div', { class: 'gives' }, words, row.glimpse?.series.length ? sparkline(row.glimpse) : null);
  }

  function stepRow(step, i, line) {
    const toggle = el('input', {
      type: 'checkbox',
      'aria-label': `${step.text}: on`,
      ...(step.off ? {} : { checked: '' }),
      onchange: () => {
        step.off = !step.off;
        change(compose(lines));
      },
    });
    const move = (by) => {
      const j = i + by;
      if (j < 0 || j >= line.steps.length) return;
      line.steps.splice(j, 0, line.steps.splice(i, 1)[0]);
      change(compose(lines));
    };
    const row = el(
      'div',
      { class: 'step' + (step.off ? ' off' : ''), draggable: 'true' },
      el(
        'div',
        { class: 'step-line' },
        toggle,
        el('span', { class: 'then' }, 'then'),
        el('span', { class: 'chips' }, ...step.chips.map((c, k) => chipButton(c, k, step, line))),
        el(
          'span',
          { class: 'step-acts' },
          el('button', { type: 'button', title: 'Move up', 'aria-label': `${step.text}: up`, onclick: () => move(-1) }, '↑'),
          el('button', { type: 'button', title: 'Down', 'aria-label': `${step.text}: down`, onclick: () => move(1) }, '↓'),
          el(
            'button',
            {
              type: 'button',
              title: 'Remove step',
              'aria-label': `${step.text}: take out`,
              onclick: () => {
                line.steps.splice(i, 1);
                change(compose(lines));
              },
            },
            '×',
          ),
        ),
      ),
      shape(step),
      open.has(step.text) && step.sample ? table(step.sample) : null,
    );
    row.addEventListener('dragstart', (e) => {
      e.dataTransfer.setData('text/plain', String(i));
      host.dragged = { line, i };
    });
    row.addEventListener('dragover', (e) => {
      if (host.dragged?.line === line) e.preventDefault();
    });
    row.addEventListener('drop', (e) => {
      e.preventDefault();
      line.steps.splice(i, 0, line.steps.splice(host.dragged.i, 1)[0]);
      host.dragged = null;
      change(compose(lines));
    });
    return row;
  }

  function addStep(line) {
    const button = el('button', { type: 'button', class: 'chip add' }, '+ then');
    button.addEventListener('click', async () => {
      pick(button, await choices('step', line), '', (text) => {
        line.steps.push({ text, chips: [], off: false });
        change(compose(lines));
      });
    });
    return button;
  }

  function lineBox(line, at) {
    const name = el('input', {
      class: 'line-name',
      'aria-label': 'Name of the line',
      value: line.name || '',
      placeholder: lines.length > 1 ? 'name' : 'no name',
      size: Math.max(5, (line.name || '').length),
    });
    name.addEventListener('change', () => {
      rename(line, name.value.trim());
      change(compose(lines));
    });
    const head = el(
      'div',
      { class: 'line-head' },
      name,
      el(
        'button',
        {
          type: 'button',
          class: 'eye',
          'aria-pressed': String(!line.hidden),
          title: line.hidden ? 'Show' : 'Hide (other lines can still use it)',
          disabled: line.name ? null : '',
          onclick: () => {
            line.hidden = !line.hidden;
            change(compose(lines));
          },
        },
        line.hidden ? 'hidden' : 'shown',
      ),
      el(
        'button',
        {
          type: 'button',
          title: 'Remove line',
          'aria-label': `Remove line ${line.name || at + 1}`,
          onclick: () => {
            lines.splice(at, 1);
            change(compose(lines));
          },
        },
        '×',
      ),
    );
    const source = line.plain
      ? [
          ...line.source.chips.map((c, k) => chipButton(c, k, line.source, line)),
          line.source.chips[0]?.kind === 'metric' ? addCondition(line) : null,
        ]
      : [el('code', { class: 'chip plain' }, line.source.text)];
    const box = el(
      'div',
      { class: 'line' + (active() === at ? ' active' : '') },
      head,
      el('div', { class: 'chips source' }, ...source),
      shape(line.source),
      open.has(line.source.text) && line.source.sample ? table(line.source.sample) : null,
      ...line.steps.map((s, i) => stepRow(s, i, line)),
      addStep(line),
    );
    box.addEventListener('focusin', () => active(at));
    box.addEventListener('click', () => active(at));
    return box;
  }

  // Other lines that use the name follow it.
  function rename(line, to) {
    const from = line.name;
    if (!to || lines.some((l) => l !== line && l.name === to)) return;
    line.name = named(to);
    if (!from) return;
    const word = new RegExp(`(?<![\\w.'"])${from.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')}(?![\\w.'"])`, 'g');
    for (const l of lines) if (!l.plain || l.source.text === from) l.source.text = l.source.text.replace(word, line.name);
  }

  function put(data) {
    lines = data;
    host.replaceChildren(...lines.map(lineBox));
  }
  return { put, lines: () => lines };
}

// Adds a test to the conditions of a line's metric.
export function where(line, label, value) {
  const test = `${named(label)} = ${quoted(value)}`;
  const text = line.source.text;
  const at = text.indexOf(' where ');
  const more = at < 0 ? ` where ${test}` : / or /.test(text.slice(at)) ? null : ` and ${test}`;
  line.source.text = more ? text + more : `${text.slice(0, at)} where (${text.slice(at + 7)}) and ${test}`;
}
