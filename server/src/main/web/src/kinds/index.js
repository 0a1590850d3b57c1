// The kinds of panels: each module mounts itself into a body and puts the server's drawings there.
// mount(body) gives { update(drawing), dispose(), size() }; size is of the plot in px, zeros where there is none. Some tell the
// sheet more: part(group, name) is where a setting shows, settingAt(x, y) the way back, plot() the plot with its axis.
const modules = {
  'time-chart': () => import('./time-chart.js'),
  number: () => import('./number.js'),
  dial: () => import('./dial.js'),
  ranking: () => import('./ranking.js'),
  table: () => import('./table.js'),
  note: () => import('./note.js'),
};

export const load = async (kind) => (await modules[kind]()).mount;
