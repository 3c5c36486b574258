'use strict';
// Plays the pictures of the page. All data is in the page itself.
const data = JSON.parse(document.getElementById('data').textContent);
const by = (id) => document.getElementById(id);
const canvas = by('canvas');
const context = canvas.getContext('2d');
const state = { row: 0, at: 0, other: -1, wipe: 0.5, playing: false, speed: 1, stops: 0, loop: true };
const images = new Map();
let timer = null;

function image(row, at) {
  const frame = data.rows[row].frames[at];
  if (!frame || !frame.picture) return null;
  const key = row + ' ' + at;
  if (!images.has(key)) {
    const made = new Image();
    made.onload = draw;
    made.src = frame.picture;
    images.set(key, made);
  }
  const made = images.get(key);
  return made.complete && made.naturalWidth ? made : null;
}

// The place of the nearest frame of another row.
function place(row, frame) {
  const frames = data.rows[row].frames;
  let best = 0;
  frames.forEach((one, at) => { if (Math.abs(one.frame - frame) < Math.abs(frames[best].frame - frame)) best = at; });
  return best;
}

function draw() {
  const row = data.rows[state.row];
  const frame = row.frames[state.at];
  const picture = image(state.row, state.at);
  canvas.width = row.width;
  canvas.height = row.height;
  context.filter = 'brightness(' + Math.pow(2, state.stops / 2.2) + ')';
  if (picture) {
    context.drawImage(picture, 0, 0, canvas.width, canvas.height);
  } else {
    context.filter = 'none';
    context.fillStyle = '#26292f';
    context.fillRect(0, 0, canvas.width, canvas.height);
    context.strokeStyle = '#eb5757';
    context.strokeRect(1, 1, canvas.width - 2, canvas.height - 2);
    context.fillStyle = '#eb5757';
    context.font = '16px sans-serif';
    context.fillText(frame ? frame.state : 'nothing', 12, 26);
  }
  if (state.other >= 0) {
    const second = image(state.other, place(state.other, frame.frame));
    const left = Math.round(canvas.width * state.wipe);
    if (second) {
      context.save();
      context.beginPath();
      context.rect(left, 0, canvas.width - left, canvas.height);
      context.clip();
      context.drawImage(second, 0, 0, canvas.width, canvas.height);
      context.restore();
    }
    context.filter = 'none';
    context.fillStyle = '#fff';
    context.fillRect(left, 0, 1, canvas.height);
  }
  by('now').textContent = frame ? frame.frame + '  ' + frame.state : '';
  by('scrub').max = row.frames.length - 1;
  by('scrub').value = state.at;
  by('scrub').setAttribute('aria-valuetext', frame ? 'frame ' + frame.frame + ', ' + frame.state : '');
  by('row').value = state.row;
  by('play').textContent = state.playing ? 'Pause' : 'Play';
  document.querySelectorAll('.cell.now').forEach((one) => one.classList.remove('now'));
  const cell = document.querySelector('[data-row="' + state.row + '"][data-at="' + state.at + '"]');
  if (cell) cell.classList.add('now');
}

function go(row, at) {
  const count = data.rows[row].frames.length;
  state.row = row;
  state.at = Math.max(0, Math.min(count - 1, at));
  draw();
}

function step(by) {
  const count = data.rows[state.row].frames.length;
  let next = state.at + by;
  if (next >= count || next < 0) {
    if (!state.loop && state.playing) return play(false);
    next = (next + count) % count;
  }
  go(state.row, next);
}

function play(on) {
  state.playing = on;
  clearInterval(timer);
  if (on) timer = setInterval(() => step(1), 1000 / (data.rows[state.row].fps * state.speed));
  draw();
}

// The next frame that is not as it should be.
function trouble() {
  const frames = data.rows[state.row].frames;
  for (let away = 1; away <= frames.length; away++) {
    const at = (state.at + away) % frames.length;
    if (frames[at].state !== 'valid') return go(state.row, at);
  }
}

by('play').onclick = () => play(!state.playing);
by('back').onclick = () => step(-1);
by('forward').onclick = () => step(1);
by('trouble').onclick = trouble;
by('loop').onclick = () => { state.loop = !state.loop; by('loop').setAttribute('aria-pressed', state.loop); };
by('scrub').oninput = (event) => go(state.row, Number(event.target.value));
by('row').onchange = (event) => go(Number(event.target.value), place(Number(event.target.value), data.rows[state.row].frames[state.at].frame));
by('other').onchange = (event) => { state.other = Number(event.target.value); draw(); };
by('wipe').oninput = (event) => { state.wipe = event.target.value / 100; draw(); };
by('stops').oninput = (event) => { state.stops = Number(event.target.value); draw(); };
by('speed').onchange = (event) => { state.speed = Number(event.target.value); play(state.playing); };
by('frame').onchange = (event) => go(state.row, place(state.row, Number(event.target.value)));
document.querySelectorAll('[data-row]').forEach((one) => {
  one.addEventListener('click', (event) => {
    event.stopPropagation();
    go(Number(one.dataset.row), Number(one.dataset.at));
    by('player').scrollIntoView({ block: 'nearest' });
  });
});
document.addEventListener('keydown', (event) => {
  if (['INPUT', 'SELECT'].includes(event.target.tagName) && event.target.type !== 'range') return;
  const keys = { ' ': () => play(!state.playing), ArrowLeft: () => step(-1), ArrowRight: () => step(1), Home: () => go(state.row, 0), End: () => go(state.row, 1e9), n: trouble,
    ArrowUp: () => go((state.row + data.rows.length - 1) % data.rows.length, state.at), ArrowDown: () => go((state.row + 1) % data.rows.length, state.at) };
  if (keys[event.key] && !(event.key === ' ' && event.target.tagName === 'BUTTON')) { event.preventDefault(); keys[event.key](); }
});

// A link can say which frame it means: #row=1&frame=17&play
function follow() {
  const asked = new URLSearchParams(location.hash.slice(1));
  const row = Math.max(0, Math.min(data.rows.length - 1, Number(asked.get('row')) || 0));
  if (asked.has('other')) { state.other = Number(asked.get('other')); by('other').value = state.other; }
  go(row, asked.has('frame') ? place(row, Number(asked.get('frame'))) : 0);
  if (asked.has('play')) play(true);
}
window.addEventListener('hashchange', follow);
follow();
