// What was read and written, what was counted, settings, log.

function showDatasets() {
  const rows = [];
  for (const stage of RUN.stages) {
    for (const p of takenPipelines(stage)) if (p.source.kind === 'table') rows.push({ how: 'read', stage, node: p.source });
    if (stage.output.kind === 'to-sink') rows.push({ how: 'written', stage, node: stage.output });
  }
  byId('datasets').hidden = rows.length === 0;
  sortable(byId('datasettable'), [
    { title: '', value: r => r.how, cell: r => r.how },
    { title: 'what', value: r => r.node.text, cell: r => r.node.text.replace(/^scan /, '') },
    { title: 'stage', number: true, value: r => r.stage.id, cell: r => String(r.stage.id) },
    { title: 'rows', number: true, value: r => r.node.rows, cell: r => count(r.node.rows) },
    { title: 'bytes', number: true, value: r => r.node.bytes, cell: r => bytes(r.node.bytes) },
    { title: 'task time', number: true, value: r => r.node.millis, cell: r => duration(r.node.millis) },
  ], rows);
}

function showCounters() {
  byId('counters').hidden = RUN.counters.length === 0;
  sortable(byId('countertable'), [
    { title: 'group', value: c => c[0], cell: c => c[0] },
    { title: 'name', value: c => c[1], cell: c => c[1] },
    { title: 'sum', number: true, value: c => c[2], cell: c => count(c[2]) },
  ], RUN.counters);
}

function showSettings() {
  const others = RUN.settingsInAll - RUN.settings.length;
  byId('settingnote').textContent = RUN.settings.length === 0 ? 'All ' + others + ' have their defaults.' : 'Those that differ from the defaults. ' + others + ' others do not.';
  if (RUN.settings.length === 0) return;
  const findingsWith = name => RUN.findings.map((f, i) => (f.change + f.cause).includes(name) ? i : -1).filter(i => i >= 0);
  sortable(byId('settingtable'), [
    { title: 'setting', value: s => s[0], cell: s => [el('code', {}, s[0]), ...findingsWith(s[0]).flatMap(i => [' ', letter(i)])] },
    { title: 'here', value: s => s[1], cell: s => el('code', {}, s[1]) },
    { title: 'default', value: s => s[2], cell: s => el('code.soft', {}, s[2]) },
  ], RUN.settings);
}

function showLog() {
  const filter = byId('filter');
  const fill = () => {
    const wanted = filter.value.toLowerCase();
    const lines = RUN.log.filter(line => wanted === '' || line.slice(1).join(' ').toLowerCase().includes(wanted));
    byId('logtable').replaceChildren(...lines.slice(0, 500).map(([at, who, level, text]) => el('tr', {},
      el('td.number', {}, el('a', { role: 'button', tabindex: 0, onclick: () => { showAround(at - RUN.millis / 20, at + RUN.millis / 20); flash(byId('lanes')); } }, clock(at, 10))),
      el('td', {}, who), el('td' + (level === 'error' ? '.look' : ''), {}, level), el('td', {}, text))));
    const left = RUN.logLeftOut + Math.max(0, lines.length - 500);
    byId('lognote').textContent = left > 0 ? count(left) + ' lines more are not shown' + (RUN.logLeftOut > 0 ? '; the record has all of them' : '; filter for them') + '.' : '';
  };
  filter.oninput = fill;
  fill();
}
