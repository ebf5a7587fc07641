// The stages as a table; a click shows the tasks of one.

const STRIP = 230;
/** The classes of the times of tasks, ten for each power of ten of a millisecond. */
const classStart = i => 10 ** (i / 10);

function timeScale() {
  const ran = RUN.stages.filter(s => s.longest !== undefined);
  const least = d3.min(ran, s => classStart(Math.max(0, s.times.findIndex(n => n > 0)))) || 1;
  const most = d3.max(ran, s => Math.max(s.longest, 1)) || 10;
  return d3.scaleLog([Math.max(1, least), Math.max(most * 1.2, least * 10)], [3, STRIP - 8]).clamp(true);
}

let stageRows = new Map();

function showStages() {
  const open = [...stageRows].filter(([, inside]) => !inside.hidden).map(([id]) => id);
  stageRows = new Map();
  const scale = timeScale();
  const longestWall = d3.max(RUN.stages, s => (s.end || 0) - (s.begin || 0)) || 1;
  const rowsIn = s => d3.sum(s.pipelines, p => p.source.rows), bytesIn = s => d3.sum(s.pipelines, p => p.source.bytes);
  const spilled = s => d3.sum(s.pipelines, p => d3.sum(p.steps, n => n.spilled)) + s.output.spilled;
  const hasSpilled = RUN.stages.some(s => spilled(s) > 0), hasAgain = RUN.stages.some(s => s.again + s.failed + s.stopped > 0);
  const columns = [
    { title: 'stage', value: s => s.id, cell: s => [el('b', {}, String(s.id)), ' ' + s.name, ...lettersOf(s.id)] },
    { title: 'tasks', number: true, value: s => s.tasks || 0, cell: s => s.begin === undefined ? 'not begun' : s.done < s.tasks ? count(s.done) + ' of ' + count(s.tasks) : count(s.tasks) },
    hasAgain ? { title: 'again, failed, stopped', number: true, value: s => s.again + s.failed + s.stopped, cell: s => s.again + s.failed + s.stopped > 0 ? [s.again, s.failed, s.stopped].join(', ') : '' } : null,
    { title: 'whole stage', number: true, value: s => (s.end || 0) - (s.begin || 0), cell: s => s.begin === undefined ? '' : [duration(s.end - s.begin),
      el('span.wall' + (s.end - s.begin === longestWall ? '.hot' : ''), { style: { width: 60 * (s.end - s.begin) / longestWall + 'px' } })] },
    { title: stripAxis(scale), cell: s => strip(s, scale) },
    { title: 'median', number: true, value: s => s.median || 0, cell: s => s.median === undefined ? '' : duration(s.median) },
    { title: '95 %', number: true, value: s => s.most95 || 0, cell: s => s.most95 === undefined ? '' : duration(s.most95) },
    { title: 'longest', number: true, value: s => s.longest || 0, cell: s => s.longest === undefined ? '' : el(isFar(s) ? 'b.look' : 'span', {}, duration(s.longest)) },
    { title: 'rows in', number: true, value: rowsIn, cell: s => rowsIn(s) > 0 ? short(rowsIn(s)) : '' },
    { title: 'rows out', number: true, value: s => s.output.rows, cell: s => s.output.rows > 0 ? short(s.output.rows) : '' },
    { title: 'bytes in', number: true, value: bytesIn, cell: s => bytesIn(s) > 0 ? bytes(bytesIn(s)) : '' },
    hasSpilled ? { title: 'spilled', number: true, value: spilled, cell: s => spilled(s) > 0 ? bytes(spilled(s)) : '' } : null,
  ].filter(Boolean);
  sortable(byId('stagetable'), columns, RUN.stages, (tr, stage) => {
    tr.id = 'stage-' + stage.id;
    if (stage.begin === undefined) return tr;
    tr.classList.add('row');
    tr.tabIndex = 0;
    const inside = el('tr.open', { hidden: '' }, el('td', { colspan: columns.length }));
    stageRows.set(stage.id, inside);
    const toggle = () => { if (inside.hidden) openStage(stage.id); else inside.hidden = true; };
    tr.onclick = event => { if (!event.target.closest('a')) toggle(); };
    tr.onkeydown = event => { if (event.key === 'Enter' && event.target === tr) toggle(); };
    tr.onmouseenter = () => dim(stage.id);
    tr.onmouseleave = () => dim(-1);
    return [tr, inside];
  });
  open.forEach(openStage);
}

const isFar = s => s.tasks > 1 && s.longest > 3 * Math.max(1, s.median) && s.longest > RUN.millis / 10;

const lettersOf = stage => RUN.findings.map((f, i) => f.stage === stage ? i : -1).filter(i => i >= 0).flatMap(i => [' ', letter(i)]);

function dim(stage) {
  timeline.dimmed = stage;
  show(view.from, view.to);
}

/** The heading of the strips, with the times of their axis. */
function stripAxis(scale) {
  const picture = svg('svg', { width: STRIP, height: 28 });
  picture.append(svg('text', { x: 0, y: 10 }, 'tasks by their time'));
  for (const t of tens(scale)) picture.append(svg('text', { x: scale(t), y: 26, 'text-anchor': scale(t) < 20 ? 'start' : 'middle' }, duration(t).replace('.0', '')));
  return picture;
}

const tens = scale => d3.range(0, 8).map(i => 10 ** i).filter(t => t >= scale.domain()[0] && t <= scale.domain()[1]);

/** The times of all tasks of a stage: the darker, the more tasks. */
function strip(stage, scale) {
  const picture = svg('svg', { width: STRIP, height: 18, role: 'img', 'aria-label': stage.median === undefined ? 'no task has ended' : 'median ' + duration(stage.median) + ', longest ' + duration(stage.longest) });
  for (const t of tens(scale)) picture.append(svg('line', { x1: scale(t), x2: scale(t), y1: 0, y2: 18, stroke: 'var(--hair)' }));
  if (stage.median === undefined) return picture;
  const most = d3.max(stage.times);
  stage.times.forEach((n, i) => {
    if (n === 0) return;
    const left = scale(classStart(i)), right = scale(classStart(i + 1));
    picture.append(svg('rect', { x: left, width: Math.max(1.5, right - left - 0.5), y: 5, height: 8, fill: 'var(--computing)', 'fill-opacity': 0.25 + 0.6 * n / most }));
  });
  const line = (time, wide) => svg('rect', { x: scale(Math.max(1, time)) - wide / 2, width: wide, y: 1, height: 16, fill: 'var(--ink)' });
  picture.append(line(stage.median, 2.5), line(stage.most95, 1));
  if (stage.tasks > 1) picture.append(svg('circle', { cx: scale(Math.max(1, stage.longest)), cy: 9, r: 4, fill: 'none', 'stroke-width': 1.6, stroke: isFar(stage) ? 'var(--look)' : 'var(--ink)' }));
  return picture;
}

function openStage(id) {
  const inside = stageRows.get(id);
  if (inside === undefined) return;
  inside.hidden = false;
  const cell = inside.firstChild;
  if (cell.childElementCount === 0) cell.append(tasksOf(RUN.stages.find(s => s.id === id)));
}

function tasksOf(stage) {
  const own = [];
  for (let i = 0; i < ATTEMPTS.stage.length; i++) if (ATTEMPTS.stage[i] === stage.id && ATTEMPTS.of[i] === 1 && ATTEMPTS.state[i] !== STOPPED) own.push(i);
  own.sort((a, b) => ATTEMPTS.took[b] - ATTEMPTS.took[a]);
  const shown = own.slice(0, 12);
  const table = el('table');
  sortable(table, [
    { title: 'task', number: true, value: i => ATTEMPTS.task[i], cell: i => el('a', { role: 'button', tabindex: 0, onclick: () => { showAround(ATTEMPTS.begin[i], ATTEMPTS.begin[i] + ATTEMPTS.took[i]); readOut(i); flash(byId('lanes')); } }, String(ATTEMPTS.task[i])) },
    { title: 'where', value: i => ATTEMPTS.lane[i], cell: i => RUN.lanes[ATTEMPTS.lane[i]].filter(x => x !== '').map((x, at, all) => at === all.length - 1 ? 'slot ' + (x + 1) : x).join(' ') },
    { title: 'time', number: true, value: i => ATTEMPTS.took[i], cell: i => duration(ATTEMPTS.took[i]) },
    { title: 'of median', number: true, value: i => ATTEMPTS.took[i], cell: i => stage.median > 0 ? (ATTEMPTS.took[i] / stage.median).toFixed(1) + '×' : '' },
    { title: 'what its time went to', cell: i => ATTEMPTS.state[i] === DONE || ATTEMPTS.state[i] === AGAIN ? useBar(i) : STATES[ATTEMPTS.state[i]] },
    { title: 'rows', number: true, value: i => ATTEMPTS.rows[i], cell: i => short(ATTEMPTS.rows[i]) },
    own.some(i => ATTEMPTS.bytes[i] > 0) ? { title: 'bytes', number: true, value: i => ATTEMPTS.bytes[i], cell: i => bytes(ATTEMPTS.bytes[i]) } : null,
    { title: 'input', value: i => ATTEMPTS.input[i], cell: i => el('span.soft', {}, ATTEMPTS.input[i]) },
  ].filter(Boolean), shown);
  const heading = own.length > shown.length ? 'The longest ' + shown.length + ' of ' + plural(stage.done, 'task') : plural(own.length, 'task');
  return el('div.inner', {},
    el('div', {}, el('p.caption', {}, el('b', {}, heading), ' · ' + stage.output.text), table),
    el('div', {}, ...scatter(stage, own), ...byWorker(own)));
}

function useBar(i) {
  const bar = el('canvas.use', { width: 240, height: 20 });
  const g = bar.getContext('2d');
  g.scale(2, 2);
  const longest = 120;
  let x = 0;
  for (const k of COURSE) {
    const wide = longest * ATTEMPTS.shares[i * KINDS + k] / 100;
    g.fillStyle = fills[k];
    g.fillRect(x, 10 - 10 * HEIGHTS[k], wide, 10 * HEIGHTS[k]);
    x += wide;
  }
  bar.title = RUN.kinds.map((kind, k) => kind + ' ' + ATTEMPTS.shares[i * KINDS + k] + ' %').filter(t => !t.endsWith(' 0 %')).join(', ');
  return bar;
}

/** Whether time goes with the rows of a task: then it is the data, else the place where it ran. */
function scatter(stage, own) {
  const dots = own.filter(i => ATTEMPTS.rows[i] > 0);
  if (dots.length < 3) return [];
  const width = 260, height = 110, left = 44;
  const x = d3.scaleLog(d3.extent(dots, i => ATTEMPTS.rows[i]), [left + 6, width - 8]);
  const y = d3.scaleLog(d3.extent(dots, i => Math.max(1, ATTEMPTS.took[i])), [height - 22, 8]);
  const picture = svg('svg', { width, height, role: 'img', 'aria-label': 'time of each task against its rows' });
  for (const i of dots.slice(0, 2000)) {
    const isNamed = timeline.named.has(i);
    picture.append(svg('circle', { cx: x(ATTEMPTS.rows[i]), cy: y(Math.max(1, ATTEMPTS.took[i])), r: isNamed ? 3 : 1.8, fill: isNamed ? 'var(--look)' : 'var(--computing)', 'fill-opacity': isNamed ? 1 : 0.6 }));
  }
  const [least, most] = x.domain(), [quick, slow] = y.domain();
  picture.append(svg('text', { x: left + 6, y: height - 6 }, short(least)), svg('text', { x: width - 8, y: height - 6, 'text-anchor': 'end' }, short(most) + ' rows'),
    svg('text', { x: left - 2, y: 12, 'text-anchor': 'end' }, duration(slow)), svg('text', { x: left - 2, y: height - 20, 'text-anchor': 'end' }, duration(quick)));
  const ties = correlation(dots.map(i => Math.log(ATTEMPTS.rows[i])), dots.map(i => Math.log(Math.max(1, ATTEMPTS.took[i]))));
  const says = least === most ? 'All tasks have the same number of rows' : ties > 0.7 ? 'Time follows rows: it is the data' : ties < 0.3 ? 'Time does not follow rows' : 'Time follows rows in part';
  return [el('p.caption', {}, el('b', {}, says)), picture];
}

function correlation(xs, ys) {
  const mx = d3.mean(xs), my = d3.mean(ys);
  const sx = Math.sqrt(d3.sum(xs, x => (x - mx) ** 2)), sy = Math.sqrt(d3.sum(ys, y => (y - my) ** 2));
  return sx > 0 && sy > 0 ? d3.sum(xs, (x, i) => (x - mx) * (ys[i] - my)) / sx / sy : 0;
}

function byWorker(own) {
  const groups = d3.rollups(own, of => d3.median(of, i => ATTEMPTS.took[i]), i => RUN.lanes[ATTEMPTS.lane[i]][0]);
  if (groups.length < 2) return [];
  groups.sort((a, b) => b[1] - a[1]);
  return [el('p.caption', {}, 'Median by worker: ' + groups.slice(0, 8).map(([worker, time]) => worker + ' ' + duration(time)).join(', ') + (groups.length > 8 ? ', and ' + (groups.length - 8) + ' more' : ''))];
}
