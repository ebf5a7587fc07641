// Bytes of the parts of each shuffle, and the keys that came most often.

const PARTS_HEIGHT = 74;

function showParts() {
  const divided = RUN.stages.filter(s => s.partBytes && s.partBytes.length > 1 && d3.sum(s.partBytes) > 0);
  byId('parts').hidden = divided.length === 0;
  byId('partlist').replaceChildren(...divided.map(stage => el('div.two', { id: 'parts-' + stage.id },
    el('div', {}, el('p.caption', {}, el('b', {}, 'Stage ' + stage.id), ' · ' + stage.output.text + ' · ' + partWords(stage)),
      isWorthAPlot(stage) ? el('div.plot', { 'data-stage': stage.id }) : null),
    el('div', {}, ...keysOf(stage)))));
}

/** Even parts, and small ones, are said in a line. */
function isWorthAPlot(stage) {
  const most = d3.max(stage.partBytes);
  return most > 64 << 10 && most > 1.5 * d3.median(stage.partBytes);
}

function partWords(stage) {
  const sorted = [...stage.partBytes].sort(d3.ascending);
  const most = sorted[sorted.length - 1], median = d3.quantileSorted(sorted, 0.5), empty = sorted.filter(b => b === 0).length;
  const times = median > 0 ? Math.round(10 * most / median) / 10 : 0;
  return 'largest ' + bytes(most) + (times > 1.5 ? ', ' + times + ' times the median' : ', even') + (empty > 0 ? ', ' + count(empty) + ' empty' : '');
}

function drawParts() {
  for (const place of byId('partlist').querySelectorAll('.plot')) {
    const stage = RUN.stages.find(s => String(s.id) === place.dataset.stage);
    clearLabels(place);
    const { g, width } = canvas(place, PARTS_HEIGHT + 18);
    g.clearRect(0, 0, width, PARTS_HEIGHT + 18);
    const parts = stage.partBytes, most = d3.max(parts), median = d3.median(parts);
    const isFarOff = most > 4 * Math.max(1, median) && most > 1 << 20;
    const left = 50, each = (width - left) / parts.length;
    const scale = d3.scaleLinear([0, most], [PARTS_HEIGHT, 4]);
    const pile = Math.ceil(parts.length / (width - left));
    for (let i = 0; i < parts.length; i += pile) {
      const high = d3.max(parts.slice(i, i + pile));
      g.fillStyle = isFarOff && high === most ? ink.look : ink.computing;
      g.fillRect(left + i * each, scale(high), Math.max(1, each * pile - (each > 3 ? 1 : 0)), PARTS_HEIGHT - scale(high));
    }
    g.fillStyle = ink.rule;
    g.fillRect(left, PARTS_HEIGHT, width - left, 1);
    g.strokeStyle = ink.ink;
    g.setLineDash([4, 3]);
    g.beginPath();
    g.moveTo(left, Math.round(scale(median)) + 0.5);
    g.lineTo(width, Math.round(scale(median)) + 0.5);
    g.stroke();
    g.setLineDash([]);
    label(place, 0, 0, '', bytes(most));
    label(place, 0, PARTS_HEIGHT - 6, '', '0');
    label(place, left, PARTS_HEIGHT + 4, '', 'part 0');
    label(place, width - 62, PARTS_HEIGHT + 4, '', 'part ' + count(parts.length - 1));
    const largest = parts.indexOf(most);
    if (isFarOff) {
      const at = left + (largest + 1) * each + 4;
      const text = 'part ' + largest + ': ' + plural(stage.partRows[largest], 'row');
      label(place, at + 6.5 * text.length < width ? at : left + largest * each - 6.5 * text.length, 6, 'look', text);
    }
  }
}

function keysOf(stage) {
  const all = d3.sum(stage.partRows);
  const keys = (stage.keys || []).filter(([, rows]) => rows > 0);
  if (keys.length === 0) return [];
  const most = keys[0][1];
  return [el('p.caption', {}, 'Most frequent keys, at least so many rows of ' + short(all)),
    el('table.keys', {}, ...keys.map(([key, rows]) => el('tr' + (rows > all / 10 ? '.hot' : ''), {},
      el('td', {}, key), el('td.number', {}, short(rows)), el('td.number', {}, percent(rows, all)),
      el('td', {}, el('span.bar', { style: { width: Math.max(1, 110 * rows / most) + 'px' } })))))];
}
