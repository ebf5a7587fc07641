// Two runs side by side.

const DATA = JSON.parse(document.getElementById('data').textContent);
const [FIRST, SECOND] = DATA.runs;
const byId = id => document.getElementById(id);
const dark = window.matchMedia('(prefers-color-scheme: dark)');
const theme = () => { document.documentElement.dataset.theme = location.hash.includes('dark') || !location.hash.includes('light') && dark.matches ? 'dark' : 'light'; };
dark.addEventListener('change', theme);
theme();

const duration = ms => ms < 1000 ? ms + ' ms' : ms < 120e3 ? (ms / 1000).toFixed(1) + ' s' : Math.floor(ms / 60e3) + ' min ' + Math.floor(ms / 1000) % 60 + ' s';
const plural = (n, noun) => d3.format(',')(n) + ' ' + noun + (n === 1 ? '' : 's');

function el(tag, kind, ...inside) {
  const made = document.createElement(tag);
  made.className = kind;
  made.append(...inside);
  return made;
}

const table = (id, headings, rows) => byId(id).replaceChildren(
  el('thead', '', el('tr', '', ...headings.map(([text, kind]) => el('th', kind || '', text)))),
  el('tbody', '', ...rows.map(cells => el('tr', '', ...cells.map(([content, kind]) => el('td', kind || '', ...[].concat(content)))))));

const hideIfEmpty = (id, rows) => { byId(id).hidden = rows.length === 0; };

function svg(tag, attributes, parent) {
  const made = document.createElementNS('http://www.w3.org/2000/svg', tag);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, value);
  parent.append(made);
  return made;
}

/** Slots in use of both runs over the time of the longer one. */
function showUse() {
  const place = byId('use'), width = place.clientWidth || 900, height = 120, left = 58;
  place.replaceChildren();
  const all = svg('svg', { width, height: height + 22, role: 'img', 'aria-label': 'Slots in use over time' }, place);
  const x = d3.scaleLinear([0, DATA.longest], [left, width - 12]);
  const y = d3.scaleLinear([0, Math.max(FIRST.slots, SECOND.slots, 1)], [height, 6]);
  const step = (x.range()[1] - left) / FIRST.use.length;
  for (const time of x.ticks(8)) {
    svg('line', { x1: x(time), x2: x(time), y1: 6, y2: height, class: 'hairline' }, all);
    svg('text', { x: x(time), y: height + 15, 'text-anchor': 'middle' }, all).textContent = time === 0 ? '0' : duration(time);
  }
  svg('text', { x: left - 6, y: 15, 'text-anchor': 'end' }, all).textContent = plural(y.domain()[1], 'slot');
  svg('text', { x: left - 6, y: height, 'text-anchor': 'end' }, all).textContent = '0';
  DATA.runs.forEach((run, i) => {
    const area = d3.area().x((d, k) => left + k * step).y0(height).y1(d => y(d)).curve(d3.curveStepAfter);
    svg('path', { d: (i === 0 ? area : area.lineY1())([...run.use, 0]), class: i === 0 ? 'usefirst' : 'usesecond' }, all);
    svg('line', { x1: x(run.millis), x2: x(run.millis), y1: 6, y2: height, class: i === 0 ? 'endfirst' : 'endsecond' }, all);
  });
}

/** When a stage ran, as a bar. */
function bar(span, kind) {
  if (span === null) return '';
  const made = el('i', 'span ' + kind);
  made.style.marginLeft = 100 * Math.max(0, span.begin) / DATA.longest + '%';
  made.style.width = Math.max(0.3, 100 * (span.end - span.begin) / DATA.longest) + '%';
  return made;
}

const took = span => span === null ? '–' : duration(span.end - span.begin);
const tasks = span => span === null ? '' : plural(span.tasks, 'task') + ', longest ' + duration(span.longest);

document.title = 'Two runs · ' + FIRST.run + ' · ' + SECOND.run;
byId('when').textContent = FIRST.run + ' and ' + SECOND.run;
byId('sentence').textContent = DATA.verdict[0].toUpperCase() + DATA.verdict.slice(1) + '.';
table('runs', [['', ''], ['run', ''], ['begun', ''], ['time', 'number'], ['slots', 'number'], ['what it did', '']], DATA.runs.map((run, i) => [
  [el('i', 'key ' + (i === 0 ? 'first' : 'second'))], [run.run], [new Date(run.start).toLocaleString()], [duration(run.millis), 'number'], [String(run.slots), 'number'], [run.title]]));
showUse();
window.addEventListener('resize', showUse);
table('stagetable', [['what it does', 'does'], ['first', 'number'], ['second', 'number'], ['when', 'when'], ['tasks', '']], DATA.stages.map(s => {
  const much = s.first !== null && s.second !== null && Math.abs((s.first.end - s.first.begin) - (s.second.end - s.second.begin)) > DATA.longest / 10;
  return [[s.does, 'does'], [took(s.first), 'number' + (much ? ' much' : '')], [took(s.second), 'number' + (much ? ' much' : '')],
    [[el('div', 'track', bar(s.first, 'first')), el('div', 'track', bar(s.second, 'second'))], 'when'],
    [[el('div', 'soft', tasks(s.first)), el('div', 'soft', tasks(s.second))], 'nowrap']];
}));
const findings = [...DATA.gone.map(f => ['gone', f]), ...DATA.added.map(f => ['new', f])];
hideIfEmpty('findings', findings);
table('findingtable', [['', ''], ['what', ''], ['cause', ''], ['change', '']], findings.map(([how, f]) => [[how, how === 'new' ? 'look' : ''], [f.what], [f.cause], [f.change]]));
table('figuretable', [['', ''], ['first', 'number'], ['second', 'number']], DATA.figures.filter(f => !DATA.stages.some(s => s.does === f[0])).map(f => [[f[0]], [f[1], 'number'], [f[2], 'number' + (f[1] === f[2] ? ' soft' : '')]]));
hideIfEmpty('settings', DATA.settings);
table('settingtable', [['setting', ''], ['first', ''], ['second', '']], DATA.settings.map(s => [[el('code', '', s[0])], [el('code', '', s[1])], [el('code', '', s[2])]]));

/** Lines of the plans side by side: those that follow each other and are of one run only stand beside those of the other. */
function planRows() {
  const rows = [];
  let waiting = [];
  const flush = () => { waiting.forEach(text => rows.push([text, null])); waiting = []; };
  for (const [of, text] of DATA.plan) {
    if (of === 'FIRST') waiting.push(text);
    else if (of === 'SECOND') rows.push([waiting.length > 0 ? waiting.shift() : null, text]);
    else { flush(); rows.push([text, text]); }
  }
  flush();
  return rows;
}

const plan = planRows();
byId('planhow').textContent = plan.every(([a, b]) => a === b) ? 'Both are the same.' : 'Lines that differ are marked.';
table('plantable', [['first', ''], ['second', '']], plan.map(([a, b]) => [[a || '', a === b ? '' : a === null ? 'none' : 'differs'], [b || '', a === b ? '' : b === null ? 'none' : 'differs']]));
