// Puts the page together, and draws again when its size or theme changes.

function drawAll() {
  readColours();
  showKinds();
  drawOutline();
  drawTimeline();
  drawPlan();
  drawParts();
  drawWorkers();
}

function chooseTheme(theme) {
  const dark = window.matchMedia('(prefers-color-scheme: dark)');
  document.documentElement.dataset.theme = theme === 'auto' ? (dark.matches ? 'dark' : 'light') : theme;
  document.querySelectorAll('#themes button').forEach(b => b.setAttribute('aria-pressed', String(b.dataset.theme === theme)));
}

let theme = location.hash.includes('dark') ? 'dark' : location.hash.includes('light') ? 'light' : 'auto';
const changeTheme = to => { theme = to; chooseTheme(theme); drawAll(); };
document.querySelectorAll('#themes button').forEach(b => { b.onclick = () => changeTheme(b.dataset.theme); });
window.matchMedia('(prefers-color-scheme: dark)').addEventListener('change', () => changeTheme(theme));

/** All that is known of the run, in words and pictures. */
function showAll() {
  document.title = (RUN.title || RUN.run) + ' · run ' + RUN.run;
  byId('name').textContent = RUN.title || 'Run ' + RUN.run;
  byId('name').title = RUN.title;
  byId('when').textContent = new Date(RUN.start).toLocaleString() + ' · ' + (RUN.workers.length > 0 ? plural(RUN.workers.length, 'worker') + ', ' : '') + plural(RUN.slots, 'slot') + ' · run ' + RUN.run;
  byId('live').hidden = document.body.dataset.live === undefined || RUN.ended || RUN.gone;
  indexLanes();
  placeLanes();
  readColours();
  showVerdict();
  showFindings();
  showStages();
  showParts();
  showDatasets();
  showCounters();
  showSettings();
  showLog();
  drawAll();
}

byId('ticket').onclick = event => copy(RUN.text, event.target);
chooseTheme(theme);
showAll();
listenToTimeline();
view.listeners.push(drawTimeline, drawWorkers);
follow(document.body.dataset.live);

/** Asks for more of a run that goes on, without taking away what is being looked at. */
function follow(address) {
  if (address === undefined || RUN.ended) return;
  const began = performance.now();
  fetch(address + '?seen=' + RUN.seen).then(async answer => {
    if (answer.status === 200) {
      const isAll = view.from <= 0 && view.to >= RUN.millis;
      take(await answer.json());
      if (isAll) { view.from = 0; view.to = RUN.millis; }
      showAll();
    } else if (answer.status === 401) {
      location.reload();
    } else if (!answer.ok) {
      throw new Error(await answer.text());
    }
    byId('live').textContent = 'as of ' + new Date().toLocaleTimeString();
  }).catch(() => { byId('live').textContent = 'not up to date: whoever served this page does not answer'; })
    .finally(() => setTimeout(() => follow(address), Math.max(1000, 8 * (performance.now() - began))));
}

// What acts on a click acts on the keyboard too.
document.addEventListener('keydown', event => {
  if ((event.key === 'Enter' || event.key === ' ') && event.target.getAttribute('role') === 'button') { event.preventDefault(); event.target.click(); }
});
window.addEventListener('scroll', () => { if (workersAreOld) drawWorkers(); }, { passive: true });
let resized = 0;
window.addEventListener('resize', () => { cancelAnimationFrame(resized); resized = requestAnimationFrame(drawAll); });

/** On paper all of the run is shown, in light colours and as wide as the paper, for which the plots are drawn anew. */
function print(isPrinting) {
  printing = isPrinting;
  document.body.classList.toggle('printing', isPrinting);
  if (isPrinting) { view.from = 0; view.to = RUN.millis; }
  chooseTheme(isPrinting ? 'light' : theme);
  drawAll();
}

window.addEventListener('beforeprint', () => print(true));
window.addEventListener('afterprint', () => print(false));
