// The list of runs, which follows what is recorded.

const byId = id => document.getElementById(id);
const dark = window.matchMedia('(prefers-color-scheme: dark)');
const theme = () => { document.documentElement.dataset.theme = location.hash.includes('dark') || !location.hash.includes('light') && dark.matches ? 'dark' : 'light'; };
dark.addEventListener('change', theme);
theme();

const count = d3.format(',');
const duration = ms => ms < 1000 ? ms + ' ms' : ms < 120e3 ? (ms / 1000).toFixed(1) + ' s' : Math.floor(ms / 60e3) + ' min ' + Math.floor(ms / 1000) % 60 + ' s';
const state = run => run.wrong ? 'broken' : run.state;

/** The times of runs of the same title, oldest first: what the bars beside a time compare. */
function trend(run, all) {
  const same = all.filter(r => r.title !== '' && r.title === run.title && r.state === 'done' && r.start <= run.start).slice(0, 12).reverse();
  return same.length < 2 ? [] : same.map(r => r.millis);
}

function row(run, all) {
  const tr = document.createElement('tr');
  const cell = (text, kind = '') => { const td = tr.insertCell(); td.className = kind; td.append(...[].concat(text)); return td; };
  const link = Object.assign(document.createElement('a'), { href: 'run/' + run.run, textContent: run.wrong ? run.run : new Date(run.start).toLocaleString() });
  cell(run.wrong ? run.run : link);
  cell(state(run), run.state === 'failed' || run.state === 'gone' || run.wrong ? 'look' : '');
  const time = cell(run.wrong ? '' : duration(run.millis), 'number');
  const times = trend(run, all);
  if (times.length > 0) {
    const bars = document.createElement('span');
    bars.className = 'trend';
    bars.title = 'The times of runs that did the same, up to this one: ' + times.map(duration).join(', ');
    const most = Math.max(...times);
    times.forEach(t => { const bar = document.createElement('i'); bar.style.height = Math.max(1, 14 * t / most) + 'px'; bars.append(bar); });
    time.prepend(bars);
  }
  cell(run.wrong || run.state !== 'done' ? '' : count(run.rows), 'number');
  cell(run.wrong ? '' : count(run.tasks), 'number');
  const what = cell(run.wrong || run.title || '', 'what');
  if (run.finding) what.append(Object.assign(document.createElement('div'), { className: 'soft', textContent: run.finding }));
  return tr;
}

/** What a coordinator has: workers and jobs, above the runs. */
function showCluster({ workers, jobs }) {
  const table = (id, rows) => byId(id).querySelector('tbody').replaceChildren(...rows.map(cells => {
    const tr = document.createElement('tr');
    cells.forEach(([text, kind]) => { const td = tr.insertCell(); td.className = kind || ''; td.append(...[].concat(text)); });
    return tr;
  }));
  const slots = d3.sum(workers, w => w.slots), busy = d3.sum(workers, w => w.running);
  byId('cluster').hidden = false;
  byId('name').textContent = 'Cluster';
  byId('capacity').textContent = workers.length === 0
    ? 'There is no worker; runs wait for one.'
    : (workers.length === 1 ? '1 worker' : count(workers.length) + ' workers') + ', ' + count(busy) + ' of ' + (slots === 1 ? '1 slot' : count(slots) + ' slots') + ' in use';
  byId('workers').hidden = workers.length === 0;
  table('workers', workers.map(w => [[w.worker], [w.state], [count(w.running) + ' of ' + count(w.slots), 'number'], [new Date(w.joinedAt).toLocaleString()],
    [w.host ? w.host + ', process ' + w.pid : ''], [w.url, 'what']]));
  byId('jobs').hidden = byId('jobsheading').hidden = jobs.length === 0;
  table('jobs', jobs.toReversed().map(j => [[j.id], [j.state.toLowerCase(), j.state === 'FAILED' ? 'look' : ''],
    [j.startedAt ? duration((j.endedAt || Date.now()) - j.startedAt) : '', 'number'],
    [j.runs.flatMap((run, i) => [i === 0 ? '' : ' ', Object.assign(document.createElement('a'), { href: 'run/' + run, textContent: i + 1, title: run })]), 'number'],
    [j.place || ''], [j.name + (j.message ? ': ' + j.message : ''), 'what']]));
}

let last = [];

function show() {
  const wanted = byId('filter').value.toLowerCase();
  const chosen = last.filter(r => [r.run, r.title, state(r), r.finding, r.wrong].join(' ').toLowerCase().includes(wanted));
  byId('runs').replaceChildren(...chosen.map(r => row(r, last)));
  byId('note').textContent = last.length === 0 ? 'There are no runs yet; this page shows them as they begin.' : '';
}

async function ask() {
  const began = performance.now();
  try {
    const answer = await fetch('runs');
    if (answer.status === 401) location.reload();
    if (!answer.ok) throw new Error(await answer.text());
    last = await answer.json();
    byId('when').textContent = last.length === 1 ? '1 run' : count(last.length) + ' runs';
    show();
    if (document.body.dataset.cluster !== undefined) showCluster(await (await fetch('cluster')).json());
  } catch (e) {
    byId('when').textContent = 'not up to date: whoever served this page does not answer';
  }
  setTimeout(ask, Math.max(1500, 10 * (performance.now() - began)));
}

byId('filter').oninput = show;
ask();
