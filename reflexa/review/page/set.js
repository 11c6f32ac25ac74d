"use strict";
// A grid of moving figures: what a build made. Everything is in the page; nothing is fetched.
const $ = (id) => document.getElementById(id);
const book = JSON.parse($("book").textContent);

const made = (tag, text = "", name = "") => {
  const out = document.createElement(tag);
  out.textContent = text;
  if (name) out.className = name;
  return out;
};
const counted = (n, what) => `${n} ${what}${n === 1 ? "" : "s"}`;

// Figures ----------------------------------------------------------------------------------------------------------------

function decoded(clip) {
  const bytes = Uint8Array.from(atob(clip.data), (c) => c.charCodeAt(0));
  return new Uint16Array(bytes.buffer);
}

function placesAt(clip, pose) { // metres, straight between two poses
  const n = 3 * clip.points, a = Math.min(Math.floor(pose), clip.poses - 1), b = Math.min(a + 1, clip.poses - 1), share = pose - a;
  const out = new Float64Array(n);
  clip.raw ??= decoded(clip);
  for (let i = 0; i < n; i++) out[i] = (clip.raw[a * n + i] * (1 - share) + clip.raw[b * n + i] * share) * clip.step + clip.low;
  return out;
}

const turned = (p, i, yaw) => [p[3 * i] * Math.cos(yaw) - p[3 * i + 2] * Math.sin(yaw), p[3 * i + 1], p[3 * i] * Math.sin(yaw) + p[3 * i + 2] * Math.cos(yaw)];

function boxOf(clip) { // over all poses, whichever way it is turned
  let wide = 0, low = 0, high = 0;
  for (let k = 0; k < clip.poses; k++) {
    const p = placesAt(clip, k);
    for (let i = 0; i < clip.points; i++) {
      wide = Math.max(wide, Math.hypot(p[3 * i], p[3 * i + 2]));
      low = Math.min(low, p[3 * i + 1]);
      high = Math.max(high, p[3 * i + 1]);
    }
  }
  return { wide: 2 * wide, low, high };
}

let dark = matchMedia("(prefers-color-scheme: dark)").matches;

function draw(cell, seconds) {
  const { clip, canvas } = cell, figure = book.figures[clip.figure], look = book.looks[dark ? 1 : 0];
  const ratio = devicePixelRatio || 1, w = canvas.clientWidth, h = canvas.clientHeight;
  if (canvas.width !== Math.round(w * ratio)) [canvas.width, canvas.height] = [Math.round(w * ratio), Math.round(h * ratio)];
  const c = canvas.getContext("2d");
  c.setTransform(ratio, 0, 0, ratio, 0, 0);
  c.clearRect(0, 0, w, h);
  clip.box ??= boxOf(clip);
  const thick = 0.12 * clip.height, scale = Math.min((w - 12) / (clip.box.wide + thick), (h - 12) / (clip.box.high - clip.box.low + thick));
  const long = Math.max(clip.seconds, 0.001), at = clip.poses > 1 ? ((seconds % long) / long) * (clip.poses - 1) : 0;
  const p = placesAt(clip, at), points = [];
  for (let i = 0; i < clip.points; i++) {
    const [x, y, z] = turned(p, i, cell.yaw);
    points.push([w / 2 + x * scale, h - 6 - (y - clip.box.low + thick / 2) * scale, z]);
  }
  const floor = h - 6 - (thick / 2 - clip.box.low) * scale;
  c.fillStyle = look.shadow;
  c.beginPath();
  c.ellipse(w / 2, floor, Math.min(0.26 * clip.height * scale, w / 3), 0.07 * clip.height * scale, 0, 0, 2 * Math.PI);
  c.fill();
  c.lineCap = "round";
  for (const i of [...points.keys()].sort((a, b) => points[a][2] - points[b][2])) {
    const up = figure.above[i];
    if (up < 0) continue;
    c.strokeStyle = look.sides[figure.sides[i]];
    c.lineWidth = Math.max(figure.widths[i] * clip.height * scale, 1.4);
    c.beginPath();
    c.moveTo(points[up][0], points[up][1]);
    c.lineTo(points[i][0], points[i][1]);
    c.stroke();
  }
}

// Cards ------------------------------------------------------------------------------------------------------------------

const cells = [];

function changeOf(clip) {
  const was = clip.changed;
  if (was.how === "new") return "new";
  if (was.how === "same") return "unchanged";
  const parts = [...was.said];
  if (was.mm !== undefined) parts.push(`${was.joint} moves up to ${was.mm} mm (frame ${was.frame}), ${was.turned} turns up to ${was.degrees}° (frame ${was.turned_frame})`);
  return parts.join("; ");
}

function card(take) {
  const out = made("article", "", take.status.replaceAll(" ", "-"));
  out.append(made("h2", take.name), made("p", take.why ? `${take.status}: ${take.why}` : take.status, "status"));
  for (const clip of take.clips) {
    const figure = made("figure"), canvas = made("canvas");
    canvas.setAttribute("role", "img");
    canvas.setAttribute("aria-label", `${clip.name}, moving figure`);
    canvas.tabIndex = 0;
    const cell = { clip, canvas, yaw: Math.PI / 5, seen: false };
    cells.push(cell);
    canvas.cell = cell;
    canvas.addEventListener("pointermove", (e) => { if (e.buttons & 1) cell.yaw += e.movementX * 0.012; });
    canvas.addEventListener("keydown", (e) => {
      if (e.key === "ArrowLeft" || e.key === "ArrowRight") cell.yaw += e.key === "ArrowLeft" ? -0.2 : 0.2, e.preventDefault();
    });
    const facts = `${counted(clip.frames, "frame")} at ${+clip.rate.toFixed(3)} fps, ${clip.seconds.toFixed(2)} s${clip.loop ? ", loop" : ""}${clip.additive ? ", additive" : ""}`;
    figure.append(canvas, made("figcaption", clip.name), made("small", facts), made("small", changeOf(clip), clip.changed.how));
    out.append(figure);
    watch.observe(canvas);
  }
  const now = take.findings.length, was = take.before;
  const change = was === null || was === now ? "" : ` (${was} before)`;
  const found = made("details");
  found.append(made("summary", (now ? counted(now, "finding") : "No findings") + change, now ? "warn" : ""));
  for (const text of take.findings) found.append(made("p", text));
  out.append(now ? found : made("p", `No findings${change}`, "quiet"));
  return out;
}

const watch = new IntersectionObserver((entries) => {
  for (const e of entries) e.target.cell.seen = e.isIntersecting;
});

const bigger = (take) => Math.max(0, ...take.clips.map((c) => c.changed.mm ?? (c.changed.how === "changed" ? 1e9 : 0)));
const changed = (take) => take.status === "failed" || take.clips.some((c) => c.changed.how !== "same");
const FILTERS = {
  "All": () => true, "Changed": changed, "With findings": (t) => t.findings.length > 0,
  "Failed": (t) => t.status === "failed" || t.status === "not touched",
};
const ORDERS = {
  "as built": () => 0, "change": (a, b) => bigger(b) - bigger(a), "findings": (a, b) => b.findings.length - a.findings.length,
  "name": (a, b) => a.name.localeCompare(b.name),
};
for (const take of book.takes) take.card = card(take);

let filter = "All";

function show() {
  const word = $("find").value.trim().toLowerCase();
  const shown = book.takes.filter((t) => FILTERS[filter](t) && t.name.toLowerCase().includes(word)).sort(ORDERS[$("order").value]);
  $("grid").replaceChildren(...shown.map((t) => t.card));
  $("count").textContent = `${shown.length} of ${counted(book.takes.length, "take")}`;
  for (const b of $("filters").children) b.setAttribute("aria-checked", String(b.dataset.name === filter));
}

for (const name of Object.keys(FILTERS)) {
  const b = made("button", `${name} ${book.takes.filter(FILTERS[name]).length}`);
  b.type = "button";
  b.dataset.name = name;
  b.setAttribute("role", "radio");
  b.addEventListener("click", () => { filter = name; show(); });
  $("filters").append(b);
}

// Playing ----------------------------------------------------------------------------------------------------------------

let playing = !matchMedia("(prefers-reduced-motion: reduce)").matches, at = 0, last = null;

function tick(now) {
  if (playing && last !== null) at += (now - last) / 1000;
  last = now;
  for (const cell of cells) if (cell.seen && cell.canvas.isConnected) draw(cell, at);
  requestAnimationFrame(tick);
}

function play(on) {
  playing = on;
  $("play").textContent = on ? "❚❚" : "▶";
}

$("play").addEventListener("click", () => play(!playing));
$("find").addEventListener("input", show);
$("order").addEventListener("change", show);
$("theme").addEventListener("click", () => { dark = !dark; document.documentElement.classList.toggle("dark", dark); });
addEventListener("keydown", (e) => {
  if (e.key === " " && !["INPUT", "SELECT", "BUTTON", "SUMMARY"].includes(e.target.tagName)) play(!playing), e.preventDefault();
});
document.documentElement.classList.toggle("dark", dark);
$("title").textContent = book.title;
play(playing);
show();
requestAnimationFrame(tick);
window.report = { book, cells, play, goTo: (seconds) => { play(false); at = seconds; } };
document.body.dataset.ready = "0";
