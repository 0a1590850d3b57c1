// Labels of limits are placed for the size of the plot, which is known only once it is drawn: a picture that was made for
// another size is asked for again, and until then its labels are not seen, since they might lie over a line.

// Px by which a plot may differ; the server keeps more than that free around a label.
const NEAR = 2,
  TIMES = 2;

// `remembered` gives the size before the first picture, `remember` keeps it.
export function plotSize({ remembered = () => [0, 0], remember = () => {} } = {}) {
  let sent = [0, 0],
    times = 0;
  return {
    // What a request says of it.
    fields(view) {
      sent = view?.size?.() ?? remembered();
      return { 'plot-width': sent[0], 'plot-height': sent[1] };
    },
    // To be called when a picture is drawn. True: to be asked for again.
    misplaced(view, drawing, body) {
      const now = view.size?.() ?? sent,
        labelled = drawing.limits?.some((l) => l.text),
        off = Boolean(labelled) && now.some((px, i) => Math.abs(px - sent[i]) > NEAR);
      if (labelled) remember(now);
      // A plot whose size never settles has its labels all the same.
      const again = off && times < TIMES;
      times = again ? times + 1 : 0;
      body.classList.toggle('misplaced', again);
      return again;
    },
  };
}
