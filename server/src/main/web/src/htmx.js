import htmx from 'htmx.org';

// Addresses are changed by the pages' own scripts, which also follow back and forward: it would replace the page.
htmx.config.history = false;
window.htmx = htmx;
export default htmx;
