// A lane per slot, grouped by worker; each attempt a bar whose segments show what its time went to.

/** Attempts below this width, in points, are drawn as shares of the time of a column; in low lanes more of them are. */
const LEAST_BAR = 7, LEAST_LOW_BAR = 24;
const STAGE_ROW = 15, GROUP_GAP = 7;
/** The order of kinds in a bar, about as they come. */
const COURSE = [4, 2, 3, 0, 1, 5, 6];

const timeline = { laneHeight: 14, tops: [], first: [], height: 0, stageRows: 0, dimmed: -1, mark: -1, named: new Set() };

/** Attempts lie by lane and then by time; this is where each lane begins. */
function indexLanes() {
  const lanes = RUN.lanes.length;
  timeline.first = new Int32Array(lanes + 1);
  for (const lane of ATTEMPTS.lane) timeline.first[lane + 1]++;
  for (let l = 0; l < lanes; l++) timeline.first[l + 1] += timeline.first[l];
  timeline.laneHeight = Math.max(2, Math.min(lanes > 8 ? 14 : 20, Math.floor(620 / Math.max(1, lanes))));
  timeline.named = new Set(RUN.findings.map(attemptOf).filter(i => i >= 0));
}

/** The attempt that a finding is about; -1 for none. */
function attemptOf(finding) {
  if (finding.task < 0) return -1;
  for (let i = 0; i < ATTEMPTS.stage.length; i++) {
    if (ATTEMPTS.stage[i] === finding.stage && ATTEMPTS.task[i] === finding.task && ATTEMPTS.of[i] === 1
        && ATTEMPTS.begin[i] === finding.from && ATTEMPTS.begin[i] + ATTEMPTS.took[i] === finding.to) return i;
  }
  return -1;
}

/** Where each lane is, below the rows of the stages; stages that run at the same time take a row each. */
function placeLanes() {
  const rows = [];
  for (const stage of RUN.stages) {
    if (stage.begin === undefined) continue;
    let row = rows.findIndex(end => end <= stage.begin);
    if (row < 0) row = rows.push(0) - 1;
    rows[row] = stage.end + RUN.millis * 0.12;
    stage.row = row;
  }
  timeline.stageRows = Math.min(rows.length, 6);
  let y = timeline.stageRows * STAGE_ROW + 10;
  timeline.tops = RUN.lanes.map(([worker], i) => {
    if (i > 0 && worker !== RUN.lanes[i - 1][0]) y += GROUP_GAP;
    const top = y;
    y += timeline.laneHeight + (timeline.laneHeight > 5 ? 1 : 0);
    return top;
  });
  timeline.height = y;
}

function drawTimeline() {
  const place = byId('lanes');
  clearLabels(place);
  const { g, width, ratio } = canvas(place, timeline.height + 20);
  const scale = axis(width);
  g.clearRect(0, 0, width, timeline.height + 20);
  g.fillStyle = ink.wash;
  RUN.lanes.forEach((lane, i) => g.fillRect(LEFT, timeline.tops[i], width - LEFT, timeline.laneHeight));
  drawAxis(place, g, scale, 0, timeline.height, width);
  drawStageRows(place, g, scale, width);
  for (const i of drawShares(g, width, ratio)) drawBar(g, i, scale, timeline.tops[ATTEMPTS.lane[i]], timeline.laneHeight, width);
  drawNames(place);
  drawMarks(place, g, scale, width);
}

function drawStageRows(place, g, scale, width) {
  label(place, 0, 0, '', 'stage');
  for (const stage of RUN.stages) {
    if (stage.begin === undefined || stage.row >= timeline.stageRows) continue;
    const left = Math.max(LEFT, scale(stage.begin)), right = Math.min(width, Math.max(scale(stage.end), scale(stage.begin) + 1));
    if (right < LEFT || left > width) continue;
    const y = stage.row * STAGE_ROW;
    g.fillStyle = timeline.dimmed >= 0 && timeline.dimmed !== stage.id ? ink.hair : ink.rule;
    g.fillRect(left, y + 3, Math.max(1, right - left), 6);
    const text = stage.id + ' ' + stage.name;
    const room = 6.2 * (text.length + 8);
    const isBehind = right + 4 + room < width, isInside = !isBehind && right - left > room + 8;
    const at = isBehind ? right + 4 : isInside ? left + 6 : Math.max(LEFT, left - room - 4);
    label(place, at, y, isInside ? 'over' : '', el('b', {}, String(stage.id)), ' ' + stage.name + ' ', duration(stage.end - stage.begin));
  }
}

/** The first attempt of a lane that ends after a time. */
function firstEndingAfter(lane, time) {
  let low = timeline.first[lane], high = timeline.first[lane + 1];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (ATTEMPTS.begin[middle] + ATTEMPTS.took[middle] < time) low = middle + 1;
    else high = middle;
  }
  return low;
}

const isDimmed = i => timeline.dimmed >= 0 && ATTEMPTS.stage[i] !== timeline.dimmed;

/**
 * Attempts too narrow for a bar: each column of points shows how its time was shared. Written as points, so that a frame costs points, not tasks.
 * Gives those that have a bar.
 */
function drawShares(g, width, ratio) {
  const bars = [...timeline.named];
  if (RUN.lanes.length === 0) return bars;
  const perMilli = (width - 1 - LEFT) / (view.to - view.from);
  const high = Math.max(1, Math.round(timeline.laneHeight * ratio));
  // In lanes of few points only the kind that there is most of can be seen; wider columns keep that calm.
  const isLow = high < 6, wide = isLow ? Math.round(5 * ratio) : 1;
  const columns = Math.ceil((width - LEFT) * ratio / wide), row = columns * wide;
  const colours = COLOURS.map(name => pixel(ink[name])), hair = pixel(ink.rule);
  const first = Math.round(timeline.tops[0] * ratio), rows = Math.round((timeline.height) * ratio) - first;
  const image = new ImageData(row, Math.max(1, rows));
  const points = new Uint32Array(image.data.buffer);
  const share = new Float32Array(columns * KINDS), dim = new Float32Array(columns);
  const { begin, took, shares, state, of } = ATTEMPTS;
  const perColumn = (view.to - view.from) / ((width - LEFT) * ratio / wide);
  const paint = (c, from, to, colour) => {
    for (let y = from; y < to; y++) for (let x = y * row + c * wide, end = x + wide; x < end; x++) points[x] = colour;
  };
  const leastBar = isLow ? LEAST_LOW_BAR : LEAST_BAR;
  for (let lane = 0; lane < RUN.lanes.length; lane++) {
    let any = false;
    share.fill(0);
    dim.fill(0);
    for (let i = firstEndingAfter(lane, view.from); i < timeline.first[lane + 1] && begin[i] <= view.to; i++) {
      if (state[i] !== DONE || of[i] === 1 && took[i] * perMilli >= leastBar) { bars.push(i); continue; }
      if (took[i] === 0) continue;
      any = true;
      const isDim = isDimmed(i);
      const from = (begin[i] - view.from) / perColumn, to = from + took[i] / perColumn;
      const last = Math.min(columns - 1, Math.floor(to));
      for (let c = Math.max(0, Math.floor(from)); c <= last; c++) {
        const part = Math.min(to, c + 1) - Math.max(from, c);
        if (isDim) { dim[c] += part; continue; }
        for (let k = 0, at = c * KINDS, of = i * KINDS; k < KINDS; k++) share[at + k] += part * shares[of + k] / 100;
      }
    }
    if (!any) continue;
    const bottom = Math.round(timeline.tops[lane] * ratio) - first + high;
    for (let c = 0; c < columns; c++) {
      let y = bottom;
      if (isLow) {
        let busy = 0, most = 0;
        for (let k = 0; k < KINDS; k++) {
          const part = share[c * KINDS + k];
          busy += part;
          if (part > share[c * KINDS + most]) most = k;
        }
        y -= Math.round(Math.min(1, busy) * high);
        if (y < bottom) paint(c, y, bottom, colours[most]);
      } else for (let k = 0; k < KINDS; k++) {
        const part = share[c * KINDS + k];
        if (part === 0) continue;
        const to = Math.max(bottom - high, y - Math.round(part * high));
        paint(c, to, y, colours[k]);
        y = to;
      }
      if (dim[c] > 0) paint(c, Math.max(bottom - high, y - Math.round(Math.min(1, dim[c]) * high)), y, hair);
    }
  }
  const layer = new OffscreenCanvas(image.width, image.height);
  layer.getContext('2d').putImageData(image, 0, 0);
  g.save();
  g.setTransform(1, 0, 0, 1, 0, 0);
  g.drawImage(layer, Math.round(LEFT * ratio), first);
  g.restore();
  return bars;
}

function pixel(colour) {
  const { r, g, b } = d3.rgb(colour);
  return (255 << 24 | b << 16 | g << 8 | r) >>> 0;
}

function drawBar(g, i, scale, top, high, width) {
  const left = Math.max(LEFT, scale(ATTEMPTS.begin[i])), right = Math.min(width, scale(ATTEMPTS.begin[i] + ATTEMPTS.took[i]));
  if (right < LEFT || left > width) return;
  const wide = Math.max(1, right - left);
  const state = ATTEMPTS.state[i];
  if (isDimmed(i)) {
    g.fillStyle = ink.rule;
    g.fillRect(left, top, wide, high);
    return;
  }
  if (state === DONE || state === AGAIN) {
    const whole = ATTEMPTS.took[i];
    let time = ATTEMPTS.begin[i];
    for (const k of COURSE) {
      const end = time + whole * ATTEMPTS.shares[i * KINDS + k] / 100;
      const x0 = Math.max(LEFT, scale(time)), x1 = Math.min(width, scale(end));
      if (x1 > x0) {
        const h = Math.max(1, high * HEIGHTS[k]);
        g.fillStyle = fills[k];
        g.fillRect(x0, top + high - h, x1 - x0, h);
      }
      time = end;
    }
  } else {
    g.fillStyle = state === FAILED ? ink.lookwash : ink.paper;
    g.fillRect(left, top, wide, high);
    g.strokeStyle = state === FAILED ? ink.look : ink.soft;
    g.lineWidth = 1;
    g.setLineDash(state === RUNNING ? [3, 2] : []);
    g.strokeRect(left + 0.5, top + 0.5, Math.max(1, wide - 1), Math.max(1, high - 1));
    g.setLineDash([]);
  }
  if (state === AGAIN || state === STOPPED) {
    g.strokeStyle = ink.ink;
    g.beginPath();
    g.moveTo(left, top + high / 2 + 0.5);
    g.lineTo(left + wide, top + high / 2 + 0.5);
    g.stroke();
  }
  if (state === FAILED && wide > 6) {
    g.beginPath();
    g.moveTo(left + 1, top + 1);
    g.lineTo(left + wide - 1, top + high - 1);
    g.moveTo(left + 1, top + high - 1);
    g.lineTo(left + wide - 1, top + 1);
    g.stroke();
  }
  if (wide > 4) {
    g.fillStyle = ink.paper;
    g.fillRect(left + wide - 0.7, top, 0.7, high);
  }
}

function drawNames(place) {
  RUN.lanes.forEach(([worker, slot], i) => {
    if (i === 0 || worker !== RUN.lanes[i - 1][0]) label(place, 0, timeline.tops[i], '', el('b', {}, worker === '' ? 'slots' : worker));
    if (timeline.laneHeight >= 11) label(place, LEFT - 16, timeline.tops[i], '', String(slot + 1));
  });
}

/** What findings are about, workers that were lost or came, and times in which nothing ran. */
function drawMarks(place, g, scale, width) {
  const bottom = timeline.height;
  g.strokeStyle = ink.look;
  g.lineWidth = 1.5;
  RUN.findings.forEach((finding, i) => {
    const attempt = attemptOf(finding);
    if (attempt >= 0) frameAttempt(place, g, scale, width, finding, i, attempt);
    else if (finding.kind === 'gaps' && finding.from !== undefined) {
      for (const time of [finding.from, finding.to]) vertical(g, scale(time), 0, bottom, width);
      const x = Math.max(LEFT, scale(finding.from) + 3);
      if (x < width - 40 && scale(finding.to) > LEFT) label(place, x, bottom / 2, 'look', letter(i), ' nothing ran');
    }
  });
  for (const worker of RUN.workers) {
    const own = RUN.lanes.map((lane, i) => i).filter(i => RUN.lanes[i][0] === worker.name);
    if (own.length === 0) continue;
    const top = timeline.tops[own[0]] - 3, end = timeline.tops[own[own.length - 1]] + timeline.laneHeight + 3;
    if (worker.lost !== undefined) {
      vertical(g, scale(worker.lost), top, end, width);
      hatch(g, Math.max(LEFT, scale(worker.lost)), top + 3, width, end - 3);
      const x = scale(worker.lost);
      if (x >= LEFT && x < width) label(place, Math.max(LEFT, Math.min(width - 150, x + 4)), top + 4, 'look over', worker.name + ' ' + (worker.reason === 'it left' ? 'left' : 'lost') + ' at ' + duration(worker.lost));
    }
    if (worker.joined > RUN.millis / 100) hatch(g, LEFT, top + 3, Math.min(width, scale(worker.joined)), end - 3);
  }
}

function frameAttempt(place, g, scale, width, finding, i, attempt) {
  const top = timeline.tops[ATTEMPTS.lane[attempt]];
  const left = Math.max(LEFT, scale(ATTEMPTS.begin[attempt])), right = Math.min(width - 1, scale(ATTEMPTS.begin[attempt] + ATTEMPTS.took[attempt]));
  if (right < LEFT || left > width) return;
  g.strokeRect(left, top - 1, Math.max(2, right - left), timeline.laneHeight + 2);
  const y = top + timeline.laneHeight + 3;
  const x = Math.max(LEFT, Math.min(left, width - 330));
  label(place, x, y + 14 < timeline.height + 16 ? y : top - 17, 'look over', letter(i), ' ', el('b', {}, 'task ' + finding.task + ' of stage ' + finding.stage + ', ' + duration(ATTEMPTS.took[attempt])),
    ATTEMPTS.rows[attempt] > 0 ? ' · ' + plural(ATTEMPTS.rows[attempt], 'row') : '');
}

function vertical(g, x, top, bottom, width) {
  if (x < LEFT || x > width) return;
  g.beginPath();
  g.moveTo(x, top);
  g.lineTo(x, bottom);
  g.stroke();
}

function hatch(g, left, top, right, bottom) {
  if (right <= left) return;
  g.save();
  g.beginPath();
  g.rect(left, top, right - left, bottom - top);
  g.clip();
  g.strokeStyle = ink.rule;
  g.lineWidth = 1;
  g.beginPath();
  for (let x = left - (bottom - top); x < right; x += 6) { g.moveTo(x, bottom); g.lineTo(x + bottom - top, top); }
  g.stroke();
  g.restore();
}

/** The attempt at a point; -1 for none. */
function attemptAt(x, y, width) {
  const lane = timeline.tops.findIndex(top => y >= top && y < top + timeline.laneHeight + 1);
  if (lane < 0 || x < LEFT) return -1;
  const scale = axis(width);
  const time = scale.invert(x), slack = scale.invert(LEFT + 1) - scale.invert(LEFT);
  for (let i = firstEndingAfter(lane, time - slack); i < timeline.first[lane + 1] && ATTEMPTS.begin[i] <= time + slack; i++) {
    if (ATTEMPTS.begin[i] + ATTEMPTS.took[i] >= time - slack) return i;
  }
  return -1;
}

/** All that is known of an attempt, as pairs of a word and a text. */
function describe(i) {
  const lines = [];
  const [worker, slot] = RUN.lanes[ATTEMPTS.lane[i]];
  const stage = RUN.stages.find(s => s.id === ATTEMPTS.stage[i]);
  const many = ATTEMPTS.of[i];
  lines.push(['', many > 1 ? plural(many, 'task') + ' of stage ' + stage.id : 'task ' + ATTEMPTS.task[i] + ' of stage ' + stage.id + (ATTEMPTS.attempt[i] > 0 ? ', attempt ' + (ATTEMPTS.attempt[i] + 1) : '')]);
  if (STATES[ATTEMPTS.state[i]] !== '') lines.push(['state', STATES[ATTEMPTS.state[i]]]);
  lines.push(['where', (worker === '' ? '' : worker + ' ') + 'slot ' + (slot + 1)]);
  const end = ATTEMPTS.begin[i] + ATTEMPTS.took[i];
  lines.push(['when', clock(ATTEMPTS.begin[i], 10) + ' to ' + clock(end, 10) + ', ' + duration(ATTEMPTS.took[i])]);
  for (let k = 0; k < KINDS; k++) {
    const share = ATTEMPTS.shares[i * KINDS + k];
    if (share > 0) lines.push([RUN.kinds[k], duration(share * ATTEMPTS.took[i] / 100) + ' (' + share + ' %)']);
  }
  if (ATTEMPTS.cpu[i] > 0) lines.push(['processor', duration(ATTEMPTS.cpu[i])]);
  if (ATTEMPTS.collector[i] > 0) lines.push(['collector', duration(ATTEMPTS.collector[i])]);
  if (ATTEMPTS.waited[i] > 0) lines.push(['waited for a slot', duration(ATTEMPTS.waited[i])]);
  if (ATTEMPTS.rows[i] > 0) lines.push(['read', plural(ATTEMPTS.rows[i], 'row') + (ATTEMPTS.bytes[i] > 0 ? ', ' + bytes(ATTEMPTS.bytes[i]) : '')]);
  if (ATTEMPTS.spilled[i] > 0) lines.push(['spilled', bytes(ATTEMPTS.spilled[i])]);
  if (ATTEMPTS.input[i] !== '') lines.push([ATTEMPTS.state[i] === FAILED ? 'because' : 'input', ATTEMPTS.input[i]]);
  return lines;
}

function showTip(i, x, y) {
  const tip = byId('tip');
  tip.hidden = i < 0;
  if (i < 0) return;
  const [[, heading], ...lines] = describe(i);
  tip.replaceChildren(el('b', {}, heading), el('table', {}, ...lines.map(([word, text]) => el('tr', {}, el('td.soft', {}, word), el('td', {}, text)))));
  tip.style.left = Math.min(x + 14, window.innerWidth - tip.offsetWidth - 8) + 'px';
  tip.style.top = (y + 18 + tip.offsetHeight > window.innerHeight ? y - tip.offsetHeight - 10 : y + 18) + 'px';
}

/** The same as selectable text below the lanes. */
function readOut(i) {
  byId('read').textContent = describe(i).map(([word, text]) => (word === '' ? '' : word + ' ') + text).join(' · ');
}

/** Attempts and times worth a look, in order of time: what findings are about, failures, losses. */
function marks() {
  const all = RUN.findings.map(timeOf).filter(Boolean);
  for (let i = 0; i < ATTEMPTS.state.length; i++) {
    if (ATTEMPTS.state[i] === FAILED) all.push({ from: ATTEMPTS.begin[i], to: ATTEMPTS.begin[i] + ATTEMPTS.took[i] });
  }
  RUN.workers.filter(w => w.lost !== undefined).forEach(w => all.push({ from: w.lost, to: w.lost }));
  all.sort((a, b) => a.from - b.from || a.to - b.to);
  return all.filter((mark, i) => i === 0 || mark.from !== all[i - 1].from || mark.to !== all[i - 1].to);
}

function listenToTimeline() {
  const place = byId('lanes');
  const at = event => { const box = place.getBoundingClientRect(); return [event.clientX - box.left, event.clientY - box.top, box.width]; };
  let drag = null;
  place.addEventListener('mousemove', event => {
    const [x, y, width] = at(event);
    if (drag !== null) {
      const moved = axis(width).invert(LEFT) - axis(width).invert(LEFT + x - drag.x);
      drag.far = drag.far || Math.abs(x - drag.x) > 3;
      show(drag.from + moved, drag.to + moved);
      return;
    }
    showTip(event.target.closest('a') ? -1 : attemptAt(x, y, width), event.clientX, event.clientY);
  });
  place.addEventListener('mouseleave', () => showTip(-1));
  place.addEventListener('mousedown', event => {
    const [x] = at(event);
    if (!event.target.classList.contains('label')) drag = { x, from: view.from, to: view.to, far: false };
  });
  window.addEventListener('mouseup', event => {
    if (drag !== null && !drag.far && place.contains(event.target)) {
      const [x, y, width] = at(event);
      const i = attemptAt(x, y, width);
      if (i >= 0) readOut(i);
    }
    drag = null;
  });
  place.addEventListener('wheel', event => {
    // Before it was clicked the wheel scrolls the page.
    if (document.activeElement !== place) return;
    event.preventDefault();
    const [x, , width] = at(event);
    zoom(Math.exp(Math.sign(event.deltaY) * 0.25), axis(width).invert(Math.max(LEFT, x)));
  }, { passive: false });
  place.addEventListener('dblclick', event => { const [x, , width] = at(event); zoom(0.4, axis(width).invert(x)); });
  place.addEventListener('keydown', event => {
    const length = view.to - view.from, middle = (view.from + view.to) / 2;
    const keys = {
      ArrowLeft: () => show(view.from - length / 5, view.to - length / 5),
      ArrowRight: () => show(view.from + length / 5, view.to + length / 5),
      '+': () => zoom(0.6, middle), '=': () => zoom(0.6, middle), '-': () => zoom(1 / 0.6, middle),
      0: () => show(0, RUN.millis),
      n: () => toMark(1), p: () => toMark(-1),
      Escape: () => place.blur(),
    };
    const action = keys[event.key] || keys[event.key.toLowerCase()];
    if (action && !event.ctrlKey && !event.metaKey) { event.preventDefault(); action(); }
  });
}

function zoom(by, around) {
  show(around - (around - view.from) * by, around + (view.to - around) * by);
}

function toMark(step) {
  const all = marks();
  if (all.length === 0) return;
  timeline.mark = (timeline.mark + step + all.length) % all.length;
  showAround(all[timeline.mark].from, all[timeline.mark].to);
}

/** The table of kinds beside the timeline, which is its legend too. */
function showKinds() {
  const sums = new Float64Array(KINDS + 1);
  for (let i = 0; i < ATTEMPTS.took.length; i++) {
    if (ATTEMPTS.state[i] !== DONE && ATTEMPTS.state[i] !== AGAIN) sums[KINDS] += ATTEMPTS.took[i];
    for (let k = 0; k < KINDS; k++) sums[k] += ATTEMPTS.took[i] * ATTEMPTS.shares[i * KINDS + k] / 100;
  }
  const whole = RUN.millis * RUN.slots;
  const rows = [...RUN.kinds, 'no result'].map((kind, k) => {
    const sample = el('canvas', { width: 40, height: 24 });
    const g = sample.getContext('2d');
    g.scale(2, 2);
    g.fillStyle = fills[k];
    const high = 12 * (k < KINDS ? HEIGHTS[k] : 1);
    g.fillRect(0, 12 - high, 20, high);
    return sums[k] === 0 ? null : el('tr', {}, el('td', {}, sample), el('td', {}, kind), el('td.number', {}, percent(sums[k], whole)));
  });
  const idle = Math.max(0, whole - d3.sum(sums));
  byId('kinds').replaceChildren(...rows.filter(Boolean), el('tr.rest', {}, el('td'), el('td', {}, 'idle'), el('td.number', {}, percent(idle, whole))));
  if (ATTEMPTS.of.some(n => n > 1)) {
    byId('together').textContent = count(ATTEMPTS.count) + ' attempts: those that follow each other in a slot are drawn together, but for the slowest of each stage and those that failed.';
  }
}
