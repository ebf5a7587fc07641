// Slots in use over the whole run, by what they did, with the findings above.

const OUTLINE_HEIGHT = 108, OUTLINE_TOP = 22;

const STRIDE = KINDS + 1;

/** Per column of the drawing and kind, how many slots of some lanes were busy; behind the kinds, with attempts of which no result is known. */
function slotsInUse(columns, from, to, lanes) {
  const use = new Float64Array(columns * STRIDE);
  for (const lane of lanes) addUse(use, columns, from, to, lane);
  return use;
}

function addUse(use, columns, from, to, lane) {
  const perColumn = (to - from) / columns;
  const { begin, took, shares, state } = ATTEMPTS;
  for (let i = firstEndingAfter(lane, from); i < timeline.first[lane + 1] && begin[i] <= to; i++) {
    const end = begin[i] + took[i];
    if (took[i] === 0) continue;
    const first = Math.max(0, Math.floor((begin[i] - from) / perColumn));
    const last = Math.min(columns - 1, Math.floor((end - from) / perColumn));
    for (let c = first; c <= last; c++) {
      const left = Math.max(begin[i], from + c * perColumn), right = Math.min(end, from + (c + 1) * perColumn);
      const part = Math.max(0, right - left) / perColumn;
      if (state[i] === DONE || state[i] === AGAIN) for (let k = 0; k < KINDS; k++) use[c * STRIDE + k] += part * shares[i * KINDS + k] / 100;
      else use[c * STRIDE + KINDS] += part;
    }
  }
}

/** The order of kinds from below, in areas. */
const PILE = [0, 1, 2, 3, 5, 6, 4, KINDS];

/** Fills columns from below, kinds on each other, and gives how high each is. */
function drawUse(g, use, columns, x, width, bottom, height, slots) {
  const each = width / columns;
  const base = new Float64Array(columns);
  for (const k of PILE) {
    g.fillStyle = fills[k];
    for (let c = 0; c < columns; c++) {
      // What workers report comes a little late, so that attempts can seem to follow each other with no time between.
      const high = Math.min(height - base[c], use[c * STRIDE + k] / slots * height);
      if (high > 0) {
        g.fillRect(x + c * each, bottom - base[c] - high, each + 0.4, high);
        base[c] += high;
      }
    }
  }
  return base;
}

function drawOutline() {
  const place = byId('outline');
  clearLabels(place);
  const { g, width } = canvas(place, OUTLINE_TOP + OUTLINE_HEIGHT + 22);
  g.clearRect(0, 0, width, OUTLINE_TOP + OUTLINE_HEIGHT + 22);
  const bottom = OUTLINE_TOP + OUTLINE_HEIGHT;
  const scale = wholeAxis(width);
  g.fillStyle = ink.wash;
  g.fillRect(LEFT, OUTLINE_TOP, width - LEFT - 1, OUTLINE_HEIGHT);
  drawAxis(place, g, scale, OUTLINE_TOP, bottom, width);
  const columns = Math.max(50, Math.floor(width - LEFT - 1));
  const use = slotsInUse(columns, 0, RUN.millis, d3.range(RUN.lanes.length));
  const busy = drawUse(g, use, columns, LEFT, width - LEFT - 1, bottom, OUTLINE_HEIGHT, RUN.slots);
  label(place, 0, OUTLINE_TOP - 6, '', plural(RUN.slots, 'slot'));
  label(place, 0, OUTLINE_TOP + 7, '', 'in use');
  label(place, LEFT - 12, bottom - 9, '', '0');
  drawFindingMarks(place, g, scale, busy, columns, width);
  brushOutline(place, width, bottom);
}

/** A line over the time of each finding, its letter, and what it says where the plot is empty. */
function drawFindingMarks(place, g, scale, busy, columns, width) {
  const taken = [], letters = [];
  g.strokeStyle = ink.look;
  g.lineWidth = 1.5;
  RUN.findings.forEach((finding, i) => {
    const time = timeOf(finding);
    if (time === null) return;
    const left = scale(time.from), right = Math.max(left + 2, scale(time.to));
    let row = 0;
    while (taken.some(t => t.row === row && t.left < right + 20 && left < t.right + 20)) row++;
    if (row > 2) return;
    taken.push({ row, left, right });
    const y = OUTLINE_TOP - 4 - row * 4;
    g.beginPath();
    g.moveTo(left, y + 3);
    g.lineTo(left, y);
    g.lineTo(right, y);
    g.lineTo(right, y + 3);
    g.stroke();
    let x = Math.max(LEFT, Math.min(width - 16, left));
    while (letters.some(other => Math.abs(other - x) < 18)) x = x > width / 2 ? x - 18 : x + 18;
    letters.push(x);
    label(place, x, 0, '', letter(i));
    const from = Math.floor((left - LEFT) / (width - LEFT) * columns);
    const to = Math.min(columns, Math.ceil((right - LEFT) / (width - LEFT) * columns));
    const highest = Math.max(...busy.slice(Math.max(0, from), Math.max(from + 1, to)));
    if (i === 0 && right - left > 220 && highest < OUTLINE_HEIGHT * 0.72) {
      const text = label(place, left + 8, OUTLINE_TOP + 6, 'look', el('b', {}, finding.what));
      text.style.maxWidth = right - left - 16 + 'px';
      text.style.whiteSpace = 'normal';
    }
  });
}

/** When a finding is to be seen: its own time, or that of its stage or worker. */
function timeOf(finding) {
  if (finding.from !== undefined) return { from: finding.from, to: finding.to };
  const stage = RUN.stages.find(s => s.id === finding.stage && s.begin !== undefined);
  return stage ? { from: stage.begin, to: stage.end } : null;
}

/** Dragging over the outline chooses the time that the timeline shows. */
function brushOutline(place, width, bottom) {
  place.querySelectorAll('svg').forEach(old => old.remove());
  const layer = place.appendChild(svg('svg', { width, height: bottom + 1 }));
  const group = layer.appendChild(svg('g', { class: 'brush' }));
  const scale = wholeAxis(width);
  const brush = d3.brushX().extent([[LEFT, OUTLINE_TOP], [width - 1, bottom]]).on('end', event => {
    if (!event.sourceEvent) return;
    if (event.selection === null) show(0, RUN.millis);
    else show(scale.invert(event.selection[0]), scale.invert(event.selection[1]));
  });
  d3.select(group).call(brush);
  const follow = () => {
    const isAll = view.from <= 0 && view.to >= RUN.millis;
    d3.select(group).call(brush.move, isAll ? null : [scale(view.from), scale(view.to)]);
  };
  outlineFollows = follow;
  follow();
}

let outlineFollows = () => {};
view.listeners.push(() => outlineFollows());
