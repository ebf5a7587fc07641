// Slots in use on each worker.

const WORKER_HEIGHT = 30;

let workersAreOld = false;

/** Draws them when they can be seen, so that moving the timeline does not wait for them. */
function drawWorkers() {
  byId('workers').hidden = RUN.workers.length === 0;
  const box = byId('workerlanes').getBoundingClientRect();
  workersAreOld = RUN.workers.length > 0;
  if (workersAreOld && (printing || box.top < window.innerHeight && box.bottom > 0 || !byId('workerlanes').firstChild)) drawAllWorkers();
}

function drawAllWorkers() {
  workersAreOld = false;
  const place = byId('workerlanes');
  clearLabels(place);
  const height = RUN.workers.length * (WORKER_HEIGHT + 8);
  const { g, width } = canvas(place, height + 20);
  g.clearRect(0, 0, width, height + 20);
  const scale = axis(width);
  drawAxis(place, g, scale, 0, height, width);
  const columns = Math.max(50, Math.floor(width - LEFT - 1));
  RUN.workers.forEach((worker, i) => {
    const bottom = (i + 1) * (WORKER_HEIGHT + 8) - 4;
    const own = d3.range(RUN.lanes.length).filter(lane => RUN.lanes[lane][0] === worker.name);
    const use = slotsInUse(columns, view.from, view.to, own);
    drawUse(g, use, columns, LEFT, width - LEFT - 1, bottom, WORKER_HEIGHT, worker.slots);
    g.fillStyle = ink.rule;
    g.fillRect(LEFT, bottom, width - LEFT, 1);
    label(place, 0, bottom - WORKER_HEIGHT, '', el('b', {}, worker.name));
    label(place, 0, bottom - WORKER_HEIGHT + 13, '', plural(worker.slots, 'slot'));
    if (worker.lost !== undefined && scale(worker.lost) >= LEFT) {
      g.fillStyle = ink.look;
      g.fillRect(scale(worker.lost), bottom - WORKER_HEIGHT, 1.5, WORKER_HEIGHT);
      label(place, Math.max(LEFT, Math.min(width - 260, scale(worker.lost) + 4)), bottom - WORKER_HEIGHT, 'look over', worker.reason);
    }
  });
}
