// The time that all plots show: one axis for the outline, the timeline and the workers.

/** Room for names left of the axis. */
const LEFT = 74;

const view = { from: 0, to: RUN.millis, listeners: [] };

const axis = width => d3.scaleLinear([view.from, view.to], [LEFT, width - 1]);
const wholeAxis = width => d3.scaleLinear([0, RUN.millis], [LEFT, width - 1]);

let frame = 0;

/** Shows another time; what lies outside of the run is not shown, and less than a millisecond on 20 points is not either. */
function show(from, to) {
  const least = Math.min(RUN.millis, 20);
  const length = Math.min(RUN.millis, Math.max(least, to - from));
  view.from = Math.max(0, Math.min(RUN.millis - length, from));
  view.to = view.from + length;
  if (frame === 0) {
    frame = requestAnimationFrame(() => { frame = 0; view.listeners.forEach(listener => listener()); });
  }
}

const showAround = (from, to) => { const margin = Math.max(20, (to - from) * 0.15); show(from - margin, to + margin); };

/** Times to write at an axis, about so many. */
function ticks(from, to, most) {
  const times = d3.scaleUtc([new Date(from), new Date(to)], [0, 1]).ticks(most).map(Number);
  return { times, step: times.length > 1 ? times[1] - times[0] : 1000 };
}

function drawAxis(place, g, scale, top, bottom, width) {
  const [from, to] = scale.domain();
  const { times, step } = ticks(from, to, Math.max(2, Math.floor((width - LEFT) / 110)));
  g.strokeStyle = ink.hair;
  g.lineWidth = 1;
  g.beginPath();
  for (const time of times) {
    const x = Math.round(scale(time)) + 0.5;
    g.moveTo(x, top);
    g.lineTo(x, bottom);
    const text = clock(time, step);
    label(place, Math.min(x, width - 6 * text.length) - (time === 0 ? 0 : 3 * text.length), bottom + 4, '', text);
  }
  g.stroke();
}
