// Paths and texts that the server has placed, as SVG.
const NS = 'http://www.w3.org/2000/svg';

function mark(m) {
  const out = document.createElementNS(NS, m.path ? 'path' : 'text');
  out.setAttribute('class', m.look);
  if (m.path) out.setAttribute('d', m.path);
  else {
    out.setAttribute('x', m.x);
    out.setAttribute('y', m.y);
    out.textContent = m.text;
  }
  if (m.hint) out.appendChild(document.createElementNS(NS, 'title')).textContent = m.hint;
  return out;
}

export function shapes(body, kind) {
  const scroller = body.appendChild(document.createElement('div'));
  scroller.className = 'shapes-scroller';
  const svg = scroller.appendChild(document.createElementNS(NS, 'svg'));
  svg.setAttribute('class', `shapes ${kind}`);
  svg.setAttribute('role', 'img');
  return {
    update(drawing) {
      svg.setAttribute('width', drawing.width);
      svg.setAttribute('height', drawing.height);
      svg.setAttribute('aria-label', drawing.words);
      svg.replaceChildren(...drawing.marks.map(mark));
      // What is longer than its panel can be scrolled by the keyboard, too.
      if (drawing.height > body.clientHeight + 1) scroller.tabIndex = 0;
      else scroller.removeAttribute('tabindex');
    },
    dispose() {},
    size: () => [0, 0],
  };
}
