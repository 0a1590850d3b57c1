// Sections of a dashboard: headings over panels, which fold. What is folded stays so in this tab.
const key = (dashboard, heading) => `fold ${dashboard} ${heading.dataset.key}`;

export function sections(figures, dashboard) {
  const headings = [...figures.querySelectorAll('.section-head')],
    panels = [...figures.querySelectorAll('.figure')];
  if (!headings.length) return;
  // In the order in which they are read, on narrow screens too.
  for (const heading of headings) {
    const next = panels.find((p) => rowOf(p) > Number(heading.dataset.row));
    next ? next.before(heading) : figures.append(heading);
    const kept = sessionStorage.getItem(key(dashboard, heading));
    set(heading, kept ? kept === 'folded' : heading.dataset.folded === 'yes');
    heading.querySelector('button').addEventListener('click', () => {
      set(heading, !isFolded(heading));
      sessionStorage.setItem(key(dashboard, heading), isFolded(heading) ? 'folded' : 'open');
      place();
    });
  }
  place();

  // What lies below a folded section moves up; its panels are not seen, and so don't ask.
  function place() {
    const folded = headings.filter(isFolded),
      above = (row) => folded.reduce((sum, h) => sum + (Number(h.dataset.row) < row ? Number(h.dataset.rows) : 0), 0);
    for (const heading of headings) heading.style.setProperty('--row', Number(heading.dataset.row) - above(Number(heading.dataset.row)));
    for (const panel of panels) {
      panel.hidden = folded.some((h) => h.dataset.section === panel.dataset.section);
      panel.style.setProperty('--row', rowOf(panel) - above(rowOf(panel)));
    }
  }
}

const rowOf = (panel) => Number(panel.dataset.at.split(',')[1]);
const isFolded = (heading) => heading.classList.contains('folded');

function set(heading, folded) {
  heading.classList.toggle('folded', folded);
  heading.querySelector('button').setAttribute('aria-expanded', String(!folded));
}
