// What all parts of the page use: the run, words for numbers, elements, colours.

/** The run as it is known; another one each time that a page which follows its run asks. */
let RUN, ATTEMPTS;

function take(run) {
  RUN = run;
  ATTEMPTS = RUN.attempts;
  for (const [name, column] of Object.entries(ATTEMPTS)) if (Array.isArray(column) && name !== 'input') ATTEMPTS[name] = Float64Array.from(column);
}

take(JSON.parse(document.getElementById('data').textContent));
const KINDS = RUN.kinds.length;
/** The order of RUN.kinds. */
const COLOURS = ['computing', 'own', 'reading', 'taking', 'waiting', 'spilling', 'writing'];
/** How high a lane is filled by a kind, so that colour is not the only difference. */
const HEIGHTS = [1, 1, 0.8, 0.5, 0.16, 1, 0.62];
const DONE = 0, FAILED = 1, STOPPED = 2, RUNNING = 3, AGAIN = 4;
const STATES = ['', 'failed', 'stopped, since its result was not needed any more', 'running', 'its result was lost and made again'];

const byId = id => document.getElementById(id);

/** An element; texts become text, never markup. */
function el(tag, attributes = {}, ...inside) {
  const [name, ...classes] = tag.split('.');
  const made = document.createElement(name);
  made.className = classes.join(' ');
  for (const [key, value] of Object.entries(attributes)) {
    if (key.startsWith('on')) made[key] = value;
    else if (key === 'style') Object.assign(made.style, value);
    else made.setAttribute(key, value);
  }
  made.append(...inside.filter(x => x !== null && x !== undefined));
  return made;
}

function svg(tag, attributes = {}, text = null) {
  const made = document.createElementNS('http://www.w3.org/2000/svg', tag);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, value);
  if (text !== null) made.textContent = text;
  return made;
}

const plural = (n, noun) => count(n) + ' ' + noun + (n === 1 ? '' : 's');
const count = d3.format(',');
const short = n => n < 1e6 ? count(Math.round(n)) : n < 1e9 ? d3.format('.1f')(n / 1e6) + ' M' : d3.format('.1f')(n / 1e9) + ' G';
const percent = (part, whole) => whole > 0 ? Math.round(100 * part / whole) + ' %' : '0 %';

function bytes(n) {
  const units = ['B', 'kB', 'MB', 'GB', 'TB', 'PB'];
  let unit = 0;
  while (n >= 1024 && unit < units.length - 1) { n /= 1024; unit++; }
  return (unit > 0 && n < 10 ? n.toFixed(1) : Math.round(n)) + ' ' + units[unit];
}

/** A duration in a sentence: 940 ms, 3.2 s, 4 min 10 s, 2 h 5 min. */
function duration(ms) {
  if (ms < 1000) return Math.round(ms) + ' ms';
  if (ms < 120e3) return (ms / 1000).toFixed(1) + ' s';
  const minutes = Math.floor(ms / 60e3);
  if (minutes < 60) return minutes + ' min ' + Math.floor(ms / 1000) % 60 + ' s';
  return Math.floor(minutes / 60) + ' h ' + minutes % 60 + ' min';
}

/** A time on an axis whose ticks are so many milliseconds apart. */
function clock(ms, step) {
  if (RUN.millis < 1000) return Math.round(ms) + ' ms';
  if (RUN.millis < 120e3) return (ms / 1000).toFixed(step >= 1000 ? 0 : step >= 100 ? 1 : step >= 10 ? 2 : 3) + ' s';
  const seconds = Math.floor(ms / 1000), pad = n => String(n).padStart(2, '0');
  const text = RUN.millis < 3600e3
    ? Math.floor(seconds / 60) + ':' + pad(seconds % 60)
    : Math.floor(seconds / 3600) + ':' + pad(Math.floor(seconds / 60) % 60) + ':' + pad(seconds % 60);
  return step >= 1000 ? text : text + '.' + String(Math.floor(ms) % 1000).padStart(3, '0');
}

/** While a print is made all of the page is seen. */
let printing = false;

/** Colours of the theme, and fills that differ in pattern too. */
let ink = {}, fills = [];

function readColours() {
  const style = getComputedStyle(document.documentElement);
  ink = {};
  for (const name of ['paper', 'wash', 'ink', 'soft', 'faint', 'hair', 'rule', 'look', 'lookwash', 'pattern', ...COLOURS]) {
    ink[name] = style.getPropertyValue('--' + name).trim();
  }
  fills = COLOURS.map(name => ink[name]);
  const diagonal = g => { for (const x of [-4, 0, 4]) { g.moveTo(x - 1, 5); g.lineTo(x + 5, -1); } };
  fills[KINDS] = ink.rule;
  fills[1] = patterned('own', g => { g.rect(0.5, 0.5, 1, 1); g.rect(2.5, 2.5, 1, 1); });
  fills[3] = patterned('taking', diagonal);
  fills[5] = patterned('spilling', g => { g.moveTo(0.5, 0); g.lineTo(0.5, 4); });
}

function patterned(name, draw) {
  const ratio = window.devicePixelRatio || 1;
  const tile = document.createElement('canvas');
  tile.width = tile.height = Math.max(4, Math.round(4 * ratio));
  const g = tile.getContext('2d');
  g.scale(tile.width / 4, tile.width / 4);
  g.fillStyle = ink[name];
  g.fillRect(0, 0, 4, 4);
  g.strokeStyle = ink.pattern;
  g.beginPath();
  draw(g);
  g.stroke();
  const pattern = g.createPattern(tile, 'repeat');
  pattern.setTransform(new DOMMatrix().scale(4 / tile.width));
  return pattern;
}

/** A canvas of the width of its place, sharp on any screen. */
function canvas(place, height) {
  const ratio = window.devicePixelRatio || 1;
  const width = place.clientWidth || 700;
  const made = place.querySelector('canvas') || place.appendChild(document.createElement('canvas'));
  made.width = Math.round(width * ratio);
  made.height = Math.round(height * ratio);
  made.style.height = height + 'px';
  const g = made.getContext('2d');
  g.setTransform(ratio, 0, 0, ratio, 0, 0);
  return { g, width, height, ratio };
}

/** Text over a drawing, which can be selected. */
function label(place, x, y, look, ...inside) {
  const made = el('span.label' + (look ? '.' + look : ''), { style: { left: x + 'px', top: y + 'px' } }, ...inside);
  place.appendChild(made);
  return made;
}

const clearLabels = place => place.querySelectorAll('.label').forEach(l => l.remove());

const letterOf = i => String.fromCharCode(65 + i % 26);
const letter = i => el('a.letter' + (i > 0 ? '.later' : ''), { href: '#finding-' + i, title: RUN.findings[i].what }, letterOf(i));

/** By which column each table is sorted, so that it stays so when its run has gone on. */
const sorted = new Map();

/** A table whose columns sort: {title, number, value(row), cell(row)}. */
function sortable(table, columns, rows, rowElement = null) {
  const before = table.id && sorted.get(table.id) || { title: null, down: true };
  let by = columns.find(c => c.title === before.title) || null, down = before.down;
  const head = el('thead'), body = el('tbody');
  const show = () => {
    const inOrder = by === null ? rows : [...rows].sort((a, b) => {
      const x = by.value(a), y = by.value(b);
      return (x < y ? -1 : x > y ? 1 : 0) * (down ? -1 : 1);
    });
    body.replaceChildren(...inOrder.map(row => {
      const tr = el('tr', {}, ...columns.map(c => {
        const shown = c.cell(row);
        return el('td' + (c.number ? '.number' : ''), {}, ...(Array.isArray(shown) ? shown : [shown]));
      }));
      return rowElement === null ? tr : rowElement(tr, row);
    }).flat());
    head.querySelectorAll('th').forEach((th, i) => {
      if (columns[i] === by) th.setAttribute('aria-sort', down ? 'descending' : 'ascending');
      else th.removeAttribute('aria-sort');
    });
  };
  head.append(el('tr', {}, ...columns.map(c => el('th' + (c.number ? '.number' : ''), {},
    c.value ? el('button', { onclick: () => { down = by === c ? !down : Boolean(c.number); by = c; sorted.set(table.id, { title: c.title, down }); show(); } }, c.title) : c.title))));
  table.replaceChildren(head, body);
  show();
}
