// A panel as a file: what is seen of it, as a picture of pixels or of lines.
import { save } from './table.js';

const SCALE = 2;

// What stands where in a panel, px from its left and top: canvases, drawings, fills and texts, in the order of painting.
function parts(figure) {
  const frame = figure.getBoundingClientRect(),
    body = figure.querySelector('.body'),
    out = [],
    at = (r) => ({ x: r.left - frame.left, y: r.top - frame.top, w: r.width, h: r.height });
  for (const one of body.querySelectorAll('canvas')) out.push({ is: 'canvas', one, ...at(one.getBoundingClientRect()) });
  for (const one of body.querySelectorAll('svg')) out.push({ is: 'svg', one, ...at(one.getBoundingClientRect()) });
  for (const one of body.querySelectorAll('*')) {
    const fill = getComputedStyle(one).backgroundColor;
    if (!one.closest('svg, canvas') && !/^(transparent|rgba\(\d+, \d+, \d+, 0\))$/.test(fill) && one.clientWidth && one !== body)
      out.push({ is: 'fill', fill, ...at(one.getBoundingClientRect()) });
  }
  for (const root of [figure.querySelector('header h2'), figure.querySelector('header .reading'), body]) {
    const walk = document.createTreeWalker(root, NodeFilter.SHOW_TEXT);
    for (let node = walk.nextNode(); node; node = walk.nextNode()) {
      const text = node.data.replace(/\s+/g, ' ').trim(),
        parent = node.parentElement;
      if (!text || !parent.checkVisibility()) continue;
      const range = document.createRange();
      range.selectNodeContents(node);
      // A text that is broken is one for each line.
      const lines = range.getClientRects(),
        style = getComputedStyle(parent),
        fill = parent.closest('svg') ? style.fill : style.color;
      if (!lines.length) continue;
      for (const [line, words] of lines.length > 1 ? broken(node) : [[lines[0], text]])
        out.push({
          is: 'text',
          text: words,
          fill,
          drawn: !!parent.closest('svg'),
          font: `${style.fontWeight} ${style.fontSize} ${style.fontFamily}`,
          style,
          ...at(line),
        });
    }
  }
  return { out, w: frame.width, h: frame.height };
}

// The lines of a broken text, each with its place.
function broken(node) {
  const out = [],
    range = document.createRange(),
    words = node.data.matchAll(/\S+/g);
  for (const { 0: word, index } of words) {
    range.setStart(node, index);
    range.setEnd(node, index + word.length);
    const r = range.getBoundingClientRect(),
      last = out.at(-1);
    if (last && Math.abs(last[0].top - r.top) < 2) last[1] += ` ${word}`;
    else out.push([r, word]);
  }
  return out;
}

// A drawing that looks the same outside this page: what the style sheets say goes into each element.
function drawn(svg, withTexts) {
  const out = svg.cloneNode(true),
    from = [svg, ...svg.querySelectorAll('*')],
    to = [out, ...out.querySelectorAll('*')];
  from.forEach((one, i) => {
    const style = getComputedStyle(one);
    for (const name of [
      'fill',
      'stroke',
      'stroke-width',
      'stroke-dasharray',
      'font-family',
      'font-size',
      'font-weight',
      'text-anchor',
      'opacity',
    ])
      to[i].setAttribute(name, style.getPropertyValue(name));
    to[i].removeAttribute('class');
  });
  if (!withTexts) for (const text of out.querySelectorAll('text')) text.remove();
  out.setAttribute('xmlns', 'http://www.w3.org/2000/svg');
  const box = svg.getBoundingClientRect();
  out.setAttribute('width', box.width);
  out.setAttribute('height', box.height);
  return new XMLSerializer().serializeToString(out);
}

const ground = () => getComputedStyle(document.documentElement).getPropertyValue('--sheet').trim();

async function png(figure) {
  const { out, w, h } = parts(figure),
    canvas = document.createElement('canvas'),
    paint = canvas.getContext('2d');
  canvas.width = w * SCALE;
  canvas.height = h * SCALE;
  paint.scale(SCALE, SCALE);
  paint.fillStyle = ground();
  paint.fillRect(0, 0, w, h);
  paint.textBaseline = 'middle';
  for (const p of out) {
    if (p.is === 'canvas') paint.drawImage(p.one, p.x, p.y, p.w, p.h);
    else if (p.is === 'svg') paint.drawImage(await picture(drawn(p.one, false)), p.x, p.y, p.w, p.h);
    else {
      paint.fillStyle = p.fill;
      if (p.is === 'fill') paint.fillRect(p.x, p.y, p.w, p.h);
      else {
        paint.font = p.font;
        paint.fillText(p.text, p.x, p.y + p.h / 2);
      }
    }
  }
  return canvas.toDataURL('image/png');
}

async function picture(svg) {
  const image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`;
  await image.decode();
  return image;
}

const escaped = (text) => text.replace(/[&<>"]/g, (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[c]);

// `chart` gives the chart of a canvas as lines, if it can.
async function svg(figure, chart) {
  const { out, w, h } = parts(figure),
    text = [];
  for (const p of out) {
    const place = `x="${p.x}" y="${p.y}" width="${p.w}" height="${p.h}"`;
    if (p.is === 'canvas') {
      const lines = await chart?.();
      text.push(lines ? `<svg ${place}>${lines}</svg>` : `<image ${place} href="${p.one.toDataURL()}"/>`);
    } else if (p.is === 'svg') text.push(`<svg ${place}>${drawn(p.one, true)}</svg>`);
    else if (p.is === 'fill') text.push(`<rect ${place} fill="${p.fill}"/>`);
    else if (p.drawn) continue;
    else
      text.push(
        `<text x="${p.x}" y="${p.y + p.h / 2}" textLength="${p.w}" lengthAdjust="spacingAndGlyphs" dominant-baseline="central" fill="${p.fill}" font-family="${escaped(p.style.fontFamily)}" font-size="${p.style.fontSize}" font-weight="${p.style.fontWeight}">${escaped(p.text)}</text>`,
      );
  }
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${w}" height="${h}"><rect width="100%" height="100%" fill="${ground()}"/>${text.join('')}</svg>`;
}

export async function savePng(figure, name) {
  save(`${name}.png`, await png(figure));
}

export async function saveSvg(figure, name, chart) {
  save(`${name}.svg`, await svg(figure, chart));
}
