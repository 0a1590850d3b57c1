// What stands over the canvas of a chart as elements: labels of limits, rows of other time zones, words beside axes.
import { el } from './dom.js';
import { stamp } from './time.js';

export const ZONE_HEIGHT = 15;
export const LABEL_HEIGHT = 15;
// Of a label, rather too much.
const CHARACTER = 7.2;

const URGENCY = ['low', 'medium', 'high', 'critical'],
  ruleAddress = (name) => `/watch/rules/${encodeURIComponent(name)}`;

// Rows of labels of limits that found no place in the plot.
export const rowsOver = (limits) => Math.max(0, ...(limits ?? []).map((l) => l.row));

export function labels(host) {
  const kept = { limits: [], zones: [], captions: [], raised: [] };

  // Those of a kind are made anew.
  function fresh(kind) {
    for (const old of kept[kind].splice(0)) old.remove();
    return (look, text, place, { href, ...more } = {}) => {
      const label = host.appendChild(el(href ? 'a' : 'div', { class: look, ...(href ? { href } : {}), ...more }, text));
      for (const [side, px] of Object.entries(place)) label.style[side] = `${px}px`;
      kept[kind].push(label);
    };
  }

  return {
    // `yOf` gives px from the top of a value; the server placed each label beside its line, or in a row over the plot.
    limits(all, yOf, box) {
      const put = fresh('limits'),
        rows = rowsOver(all);
      for (const l of all.filter((one) => one.text !== '')) {
        const right = box.right + 2 + l.shift,
          of = l.rule ? { href: ruleAddress(l.rule), title: `Rule: ${l.title}` } : {},
          look = `${l.priority}${l.rule ? ' of-rule' : ''}${l.form === 'rule' ? ' fine' : ''}`;
        if (l.row)
          put(
            `limit-label over ${look}`,
            l.text,
            { right, top: box.top - (rows - l.row + 1) * LABEL_HEIGHT, maxWidth: host.clientWidth - right },
            { title: l.text, ...of },
          );
        else {
          const y = yOf(l.at);
          put(`limit-label ${look}`, l.text, { right, top: l.above ? y - 4 - LABEL_HEIGHT : y + 4 }, of);
        }
      }
    },
    // When rules were raised, on the time axis; the most urgent one over others.
    raised(all, xOf, box) {
      const put = fresh('raised');
      for (const r of [...all].sort((a, b) => URGENCY.indexOf(a.priority) - URGENCY.indexOf(b.priority))) {
        const left = Math.max(box.left, xOf(r.from)),
          width = Math.max(2, Math.min(host.clientWidth - box.right, xOf(r.to)) - left);
        put(
          `raised-span ${r.priority}`,
          '',
          { left, width, bottom: box.bottom - 2 },
          { title: `${r.title}: raised from ${stamp(r.from)} to ${stamp(r.to)}` },
        );
      }
    },
    // Rows of labels for other time zones, under those of the axis.
    zones(all, xOf, left) {
      const put = fresh('zones');
      all.forEach((zone, row) => {
        const bottom = (all.length - 1 - row) * ZONE_HEIGHT;
        put('zone-label zone-name', zone.name, { left: 0, bottom });
        let free = Math.max(left, zone.name.length * CHARACTER + 6);
        for (const tick of zone.ticks) {
          const x = xOf(tick.at),
            half = (tick.text.length * CHARACTER) / 2;
          if (x - half < free || x + half > host.clientWidth) continue;
          put('zone-label middle', tick.text, { left: x, bottom });
          free = x + half + 8;
        }
      });
    },
    // Words over each axis, from px to px from the plot at its side, in the colour of the only series.
    captions(all, box) {
      const put = fresh('captions'),
        several = { left: all.filter((c) => c.side === 'left').length > 1, right: all.filter((c) => c.side === 'right').length > 1 };
      for (const { side, words, colour, to, row } of all)
        put(
          `axis-words ${side}${colour == null ? '' : ' c' + colour}`,
          side === 'left' ? `↥ ${words}` : `${words} ↥`,
          { top: row * 18, [side]: several[side] ? Math.max(0, box[side] - to) : 0 },
          { title: words },
        );
    },
  };
}
