// Buttons that copy a text, tabs over panels, forms that ask once, and parts of a page that follow the range.
import { current } from './range.js';
import { live } from './live.js';

// Copies the text of the element that `data-copy` names. A shortened token in it is copied whole.
async function copy(button) {
  const from = document.querySelector(button.dataset.copy);
  const { whole, short } = from.dataset;
  const text = whole ? from.textContent.replace(short, whole) : from.textContent;
  const before = button.textContent;
  try {
    await navigator.clipboard.writeText(text.trim());
    button.textContent = 'Copied';
  } catch {
    // Without permission the text is selected, for the keyboard.
    getSelection().selectAllChildren(from);
    button.textContent = 'Press Ctrl+C';
  }
  setTimeout(() => (button.textContent = before), 1500);
}

function tab(button) {
  for (const other of button.closest('[data-tabs]').querySelectorAll('[data-tab]')) {
    other.setAttribute('aria-pressed', String(other === button));
    document.querySelector(`[data-panel="${other.dataset.tab}"]`).hidden = other !== button;
  }
}

// One of several: the form keeps which, and what belongs to the others is hidden.
function choose(button) {
  const field = document.getElementById(button.dataset.for);
  field.value = button.dataset.choose;
  for (const other of document.querySelectorAll(`[data-for="${field.id}"]`)) {
    other.setAttribute('aria-pressed', String(other === button));
  }
  for (const part of document.querySelectorAll('[data-chosen]')) {
    part.hidden = part.dataset.chosen !== field.value;
  }
}

// Adds a text at the end of another, and shows it there.
function insert(button) {
  const to = document.querySelector(button.dataset.into);
  const before = to.value.replace(/\s*$/, '');
  to.value = `${before}${before ? '\n' : ''}${button.dataset.insert}`;
  to.focus();
  to.setSelectionRange(before.length + 1, to.value.length);
  to.scrollTop = to.scrollHeight;
  to.dispatchEvent(new Event('input', { bubbles: true }));
}

document.addEventListener('click', (e) => {
  const inserts = e.target.closest?.('[data-insert]');
  if (inserts) insert(inserts);
  const copies = e.target.closest?.('[data-copy]');
  if (copies) copy(copies);
  const chosen = e.target.closest?.('[data-tab]');
  if (chosen) tab(chosen);
  const choice = e.target.closest?.('[data-choose]');
  if (choice) choose(choice);
});

// A file's text goes into a field.
document.addEventListener('change', async (e) => {
  const into = e.target.dataset?.fileInto;
  if (!into || !e.target.files[0]) return;
  document.querySelector(into).value = await e.target.files[0].text();
});

// What can't be undone asks once, in place: the button says what a second press does.
document.addEventListener('submit', (e) => {
  const form = e.target,
    button = form.querySelector('button[type=submit]');
  if (!form.dataset.confirm || form.dataset.asked) return;
  e.preventDefault();
  form.dataset.asked = 'yes';
  const before = button.textContent;
  button.textContent = `${form.dataset.confirm} now?`;
  setTimeout(() => {
    delete form.dataset.asked;
    button.textContent = before;
  }, 4000);
});

// A part of a page that the server draws again at the rail's pace and for its range.
export function liveParts() {
  for (const part of document.querySelectorAll('[data-live]')) {
    const form = part.dataset.form && document.querySelector(part.dataset.form);
    const refresh = () => {
      const p = new URLSearchParams(form ? new FormData(form) : '');
      for (const [name, value] of Object.entries(current())) p.set(name, value);
      window.htmx.ajax('GET', `${part.dataset.live}?${p}`, { target: part, swap: 'innerMorph' });
    };
    live(refresh);
    form?.addEventListener('input', refresh);
    form?.addEventListener('submit', (e) => e.preventDefault());
  }
}
