// The plan as a graph: a block for each stage, from what is read to the result.

const BLOCK_GAP = 46;

/** How far each stage is from those that read no other. */
function depths() {
  const depth = new Map();
  for (const stage of RUN.stages) depth.set(stage.id, 1 + Math.max(-1, ...stage.reads.map(r => depth.has(r) ? depth.get(r) : -1)));
  return depth;
}

/** For each stage on the path that took longest the one before it: that which ended last of those it reads. */
function longestPath() {
  const before = new Map();
  let stage = RUN.stages[RUN.stages.length - 1];
  while (stage && !before.has(stage.id)) {
    const last = RUN.stages.filter(s => stage.reads.includes(s.id) && s.end !== undefined).sort((a, b) => b.end - a.end)[0];
    before.set(stage.id, last ? last.id : -1);
    stage = last;
  }
  return before;
}

/** A line from a block to another; where others lie between them it goes below those. */
function route(x0, y0, x1, y1, below) {
  if (below === null) return `M${x0},${y0}C${(x0 + x1) / 2},${y0} ${(x0 + x1) / 2},${y1} ${x1},${y1}`;
  const bend = BLOCK_GAP / 2;
  return `M${x0},${y0}C${x0 + bend},${y0} ${x0},${below} ${x0 + bend},${below}H${x1 - bend}C${x1},${below} ${x1 - bend},${y1} ${x1},${y1}`;
}

function drawPlan() {
  const place = byId('graph');
  place.replaceChildren();
  const depth = depths(), columns = 1 + Math.max(...depth.values());
  // Paper does not scroll.
  const width = Math.max(printing ? 60 : 178, Math.min(330, (place.clientWidth - (columns - 1) * BLOCK_GAP) / columns));
  const allMillis = d3.sum(RUN.stages, s => d3.sum(nodesOf(s), n => n.millis));
  const path = longestPath();
  const lines = svg('svg');
  place.append(lines);
  const blocks = new Map();
  const heights = new Array(columns).fill(0);
  for (const stage of RUN.stages) {
    const column = depth.get(stage.id);
    const block = stageBlock(stage, allMillis, width);
    block.style.left = column * (width + BLOCK_GAP) + 'px';
    block.style.top = heights[column] + 'px';
    place.append(block);
    blocks.set(stage.id, { x: column * (width + BLOCK_GAP), y: heights[column], height: block.offsetHeight });
    heights[column] += block.offsetHeight + 18;
  }
  centre(blocks, heights, depth, place);
  const height = Math.max(...heights);
  place.style.height = height + 8 + 'px';
  lines.setAttribute('width', columns * (width + BLOCK_GAP));
  lines.setAttribute('height', height);
  for (const stage of RUN.stages) {
    for (const read of stage.reads) {
      const from = blocks.get(read), to = blocks.get(stage.id);
      const isLong = path.get(stage.id) === read;
      const between = heights.slice(depth.get(read) + 1, depth.get(stage.id));
      const below = between.length > 0 ? Math.max(...between) - 8 : null;
      const x0 = from.x + width + 4, y0 = from.y + 9, x1 = to.x - 6, y1 = to.y + 9;
      const colour = isLong ? 'var(--ink)' : 'var(--rule)';
      lines.append(svg('path', { d: route(x0, y0, x1, y1, below), fill: 'none', stroke: colour, 'stroke-width': isLong ? 2.4 : 1.1 }),
        svg('path', { d: `M${x1 + 3},${y1}l-6,-3.5v7z`, fill: colour }));
    }
  }
}

/** Stages of a column with few of them lie beside those that they read. */
function centre(blocks, heights, depth, place) {
  for (const stage of RUN.stages) {
    const alone = [...depth.values()].filter(d => d === depth.get(stage.id)).length === 1;
    const read = stage.reads.map(r => blocks.get(r)).filter(Boolean);
    if (!alone || read.length === 0) continue;
    const y = Math.round(d3.mean(read, b => b.y));
    const block = blocks.get(stage.id);
    block.y = y;
    [...place.querySelectorAll('.stage')].find(b => b.dataset.stage === String(stage.id)).style.top = y + 'px';
    heights[depth.get(stage.id)] = y + block.height + 18;
  }
}

const takenPipelines = stage => stage.pipelines.some(p => p.taken) ? stage.pipelines.filter(p => p.taken) : stage.pipelines.slice(0, 1);
const nodesOf = stage => takenPipelines(stage).flatMap(p => [p.source, ...p.steps]).concat(stage.output);

function stageBlock(stage, allMillis, width) {
  const millis = d3.sum(nodesOf(stage), n => n.millis);
  const most = d3.max(nodesOf(stage), n => n.millis);
  const line = (node, shows) => el('li' + (node.millis === most && millis > allMillis / 20 ? '.hot' : ''), { title: node.text + (node.millis > 0 ? '\n' + duration(node.millis) + ' of task time' : '') },
    el('span', {}, node.text), el('span.number', {}, shows && node.rows > 0 ? short(node.rows) : ''));
  const items = takenPipelines(stage).flatMap(p => [...p.conditions.map(c => el('li', {}, el('span', {}, '(' + c + ')'))), line(p.source, true), ...p.steps.map(s => line(s, true))]);
  items.push(line(stage.output, false));
  return el('div.stage', { 'data-stage': stage.id, style: { width: width + 'px' } },
    el('h3', {}, stage.id + ' ' + stage.name, ...lettersOf(stage.id)),
    el('div', {}, stage.begin === undefined ? 'not begun' : percent(millis, allMillis) + ' of task time'),
    el('ol', {}, ...items),
    ...rowBars(stage));
}

/** Rows expected over rows that came, logarithmic. */
function rowBars(stage) {
  const most = d3.max(RUN.stages, s => Math.max(s.expectedRows, s.output.rows, 10));
  const scale = d3.scaleLog([1, most], [2, 90]).clamp(true);
  const bars = [];
  const came = stage.output.rows, expected = stage.expectedRows;
  if (expected >= 0) bars.push(el('div.rows', {}, el('i.hollow', { style: { width: scale(Math.max(1, expected)) + 'px' } }), short(expected) + ' expected'));
  if (stage.begin !== undefined) {
    const factor = expected > 0 && came > 0 ? Math.max(expected / came, came / expected) : 1;
    const isOther = factor > 2 && stage.finished;
    // Fewer rows than expected do no harm.
    const isOff = isOther && came > expected && came > 10000;
    bars.push(el('div.rows' + (isOff ? '.off' : ''), {}, el('i.solid', { style: { width: scale(Math.max(1, came)) + 'px' } }),
      short(came) + (stage.finished ? ' came' : ' so far') + (isOther ? (came > expected ? ', ×' : ', ÷') + (factor < 10 ? factor.toFixed(1) : short(factor)) : '')));
  }
  return bars;
}
