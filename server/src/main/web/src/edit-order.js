// The order of a dashboard's sections: each goes with its panels, which keep their places within it. What lies above the
// first section stays.

// Rows of sections and panels after the section `from` stands at the place `to` among the sections as they are read; `end` is
// the first free row. Gives a function from rows before to rows after.
export function reordered(sections, end, from, to) {
  const order = sections.map((s, k) => ({ row: s.row, k })).sort((a, b) => a.row - b.row),
    parts = order.map((s, n) => ({ ...s, rows: (order[n + 1]?.row ?? Math.max(end, s.row + 1)) - s.row })),
    after = parts.filter((s) => s.k !== from);
  after.splice(
    to,
    0,
    parts.find((s) => s.k === from),
  );
  let next = order[0].row;
  for (const part of after) {
    part.to = next;
    next += part.rows;
  }
  return (row) => {
    const part = parts.findLast((s) => s.row <= row);
    return part ? row - part.row + part.to : row;
  };
}

// The place of a section among the others as they are read.
export const placeAmong = (sections, i) => sections.filter((s) => s.row < sections[i].row).length;
