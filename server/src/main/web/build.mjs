// Bundles scripts, styles, fonts and icons into target/classes/static/assets.
import { build } from 'esbuild';
import { execFileSync } from 'node:child_process';
import { cpSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';

const out = '../../../target/classes/static/assets';
rmSync(out, { recursive: true, force: true });
mkdirSync(`${out}/fonts`, { recursive: true });

await build({
  entryPoints: [
    'src/app.js',
    'src/dashboard.js',
    'src/dashboards.js',
    'src/bench.js',
    'src/events.js',
    'src/rule.js',
    'src/rules.js',
    'src/alarms.js',
    'src/alert.js',
  ],
  bundle: true,
  minify: true,
  splitting: true,
  format: 'esm',
  target: 'es2022',
  outdir: out,
  chunkNames: 'part-[hash]',
  logLevel: 'warning',
});

for (const face of ['next', 'mono']) {
  const from = `node_modules/@fontsource-variable/atkinson-hyperlegible-${face}/files`;
  for (const range of ['latin', 'latin-ext']) {
    const file = `atkinson-hyperlegible-${face}-${range}-wght-normal.woff2`;
    cpSync(`${from}/${file}`, `${out}/fonts/${file}`);
  }
}
execFileSync('node_modules/.bin/tailwindcss', ['-i', 'src/app.css', '-o', `${out}/app.css`, '--minify'], {
  stdio: ['ignore', 'ignore', 'inherit'],
});
// The few icons in use, as one sheet: <use href="/assets/icons.svg#search">.
const icons = ['search', 'chevron-down', 'table-2', 'chart-line', 'download', 'move', 'plus'];
const symbols = icons.map((name) => {
  const body = readFileSync(`node_modules/lucide-static/icons/${name}.svg`, 'utf8')
    .replace(/<!--.*?-->/gs, '')
    .match(/<svg[^>]*>(.*)<\/svg>/s)[1];
  return `<symbol id="${name}" viewBox="0 0 24 24" fill="none" stroke="currentColor" stroke-width="2" stroke-linecap="round" stroke-linejoin="round">${body.trim()}</symbol>`;
});
writeFileSync(`${out}/icons.svg`, `<svg xmlns="http://www.w3.org/2000/svg">${symbols.join('')}</svg>`);
const icon = readFileSync('src/icon.svg', 'utf8');
writeFileSync(`${out}/icon.svg`, icon);
