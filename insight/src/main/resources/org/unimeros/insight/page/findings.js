// The verdict in a sentence, and the findings with their evidence.

function showVerdict() {
  const sentence = byId('sentence');
  const took = el('b', {}, duration(RUN.millis));
  const first = RUN.findings[0];
  const did = RUN.gone ? 'Whoever carried it out is gone, after at least ' : RUN.ended ? (RUN.state === 'done' ? 'It took ' : RUN.state[0].toUpperCase() + RUN.state.slice(1) + ' after ') : 'Going on for ';
  sentence.replaceChildren(did, took);
  if (RUN.reason) sentence.append(', because: ', el('b.look', {}, RUN.reason), '.');
  if (first && first.gain > 0 && !RUN.reason) {
    sentence.append('; about ', el('b', {}, duration(first.gain)), ' of that because ', el('b.look', {}, first.what), ': ' + first.cause + '.');
  } else if (first && !RUN.reason) {
    sentence.append(': ', el('b.look', {}, first.what), '.');
  } else if (!RUN.reason) {
    sentence.append('. Nothing stands out.');
  }
  const read = RUN.stages.flatMap(s => s.pipelines).filter(p => p.source.kind === 'table');
  const facts = [
    RUN.asked ? 'asked for at ' + RUN.asked : null,
    plural(d3.sum(read, p => p.source.rows), 'row') + ' (' + bytes(d3.sum(read, p => p.source.bytes)) + ') read',
    RUN.ended && RUN.state === 'done' ? plural(RUN.rows, 'row') + (RUN.files > 0 ? ' written to ' + plural(RUN.files, 'file') + ' (' + bytes(RUN.bytes) + ')' : ' as result') : null,
    plural(d3.sum(RUN.stages, s => s.done || 0), 'task') + ' in ' + plural(ATTEMPTS.count, 'attempt'),
    'slots in use ' + RUN.inUse + ' % of the time',
  ];
  byId('facts').textContent = facts.filter(Boolean).join(' · ');
  byId('state').replaceChildren(el('b' + (RUN.gone ? '.look' : ''), {}, RUN.ended ? RUN.state : RUN.gone ? 'gone' : 'running'),
    RUN.findings.length > 0 ? ', ' + plural(RUN.findings.length, 'finding') : '');
  byId('bound').textContent = (RUN.findings.length > 0 ? 'Nothing else of weight was found. ' : '') + 'Most time: ' + RUN.bound + '.';
}

function showFindings() {
  const table = byId('findings');
  table.hidden = RUN.findings.length === 0;
  table.replaceChildren(
    el('thead', {}, el('tr', {}, ...['', 'gain', 'what, and the evidence', 'probable cause', 'what to change', 'how sure'].map(t => el('th', {}, t)))),
    el('tbody', {}, ...RUN.findings.map((f, i) => el('tr', { id: 'finding-' + i },
      el('td', {}, letter(i)),
      el('td.gain', {}, ...gain(f)),
      el('td', {}, el('b', {}, begun(f.what) + '.'), ' ' + begun(f.evidence) + '. ', ...evidenceLinks(f)),
      el('td', {}, begun(f.cause)),
      el('td', {}, el('span.change', {}, f.change, ' ', el('a.screen', { role: 'button', tabindex: 0, onclick: event => copy(f.change, event.target) }, 'copy'))),
      el('td', {}, f.sureness)))));
}

/** As the begin of a sentence. */
const begun = text => text.charAt(0).toUpperCase() + text.slice(1);

function gain(f) {
  if (f.gain < 0) return ['?', el('small', {}, 'cannot be told')];
  return ['−' + duration(f.gain), el('small', {}, percent(f.gain, RUN.millis) + ' of the run'),
    el('span.bar', {}, el('i', { style: { width: Math.min(100, 100 * f.gain / RUN.millis) + '%' } }))];
}

/** Ways from a finding to where it is to be seen. */
function evidenceLinks(f) {
  const links = [];
  const time = timeOf(f);
  const go = (text, action) => links.push(links.length > 0 ? ' · ' : '→ ', el('a', { role: 'button', tabindex: 0, onclick: action }, text));
  if (time !== null) go('timeline', () => { showAround(time.from, time.to); flash(byId('lanes')); });
  if (f.stage >= 0) {
    go('stage ' + f.stage, () => { openStage(f.stage); flash(byId('stage-' + f.stage)); });
    const feeding = RUN.stages.find(s => s.id === f.stage).reads.map(r => byId('parts-' + r)).find(Boolean);
    if (feeding && f.task >= 0) go('parts', () => flash(feeding));
  }
  return links;
}

function flash(target) {
  target.scrollIntoView({ block: 'center' });
  target.classList.remove('flash');
  void target.offsetWidth;
  target.classList.add('flash');
}

function copy(text, button) {
  const before = button.textContent;
  const said = word => { button.textContent = word; setTimeout(() => { button.textContent = before; }, 1500); };
  const byHand = () => {
    const area = document.body.appendChild(el('textarea', {}, text));
    area.select();
    const worked = document.execCommand('copy');
    area.remove();
    said(worked ? 'copied' : 'select and copy it');
  };
  if (navigator.clipboard && window.isSecureContext) navigator.clipboard.writeText(text).then(() => said('copied'), byHand);
  else byHand();
}
