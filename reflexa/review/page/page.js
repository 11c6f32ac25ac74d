"use strict";
// Plays what a reviewer needs of takes: figures before and after, findings, measures. Everything is in the page; nothing is fetched.
const $ = (id) => document.getElementById(id);
const read = (id) => JSON.parse($(id).textContent);
const book = read("book");

// Data: packed arrays, and motion as differences from frame to frame --------------------------------------------------------------

async function unpacked(text) {
  const bytes = Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
  const stream = new Blob([bytes]).stream().pipeThrough(new DecompressionStream("gzip"));
  return new Response(stream).arrayBuffer();
}

const TYPES = { f4: Float32Array, i2: Int16Array, u2: Uint16Array, u4: Uint32Array, i1: Int8Array, u1: Uint8Array };

async function arrays(packed) {
  const buffer = await unpacked(packed.data), out = {};
  for (const [name, type, offset, count] of packed.parts) out[name] = new TYPES[type](buffer, offset, count);
  return out;
}

function summed(a, width) { // in place; 16 bits that wrap
  for (let i = width; i < a.length; i++) a[i] = a[i] + a[i - width];
  return a;
}

const models = new Map(), takes = new Map();

async function modelOf(id) {
  if (!models.has(id)) {
    const model = read(id);
    model.meshes = await Promise.all(model.meshes.map(async (m) => Object.assign(m, await arrays(m.packed))));
    models.set(id, model);
  }
  return models.get(id);
}

async function motionOf(said) {
  const model = await modelOf(said.model), a = await arrays(said.packed), n = model.joints.length;
  return { model, frames: said.frames, scale: said.scale, ground: a.ground, place: summed(a.place, 3 * n), turn: summed(a.turn, 4 * n) };
}

async function takeOf(i) {
  if (!takes.has(i)) {
    const take = read(`take-${i}`);
    take.after = await motionOf(take.after);
    take.before = take.before ? await motionOf(take.before) : take.after;
    takes.set(i, take);
  }
  return takes.get(i);
}

function placeOf(motion, frame, joint) {
  const n = motion.model.joints.length, at = 3 * (frame * n + joint), g = 2 * frame, p = motion.place, s = motion.scale;
  return [p[at] * s + motion.ground[g], p[at + 1] * s, p[at + 2] * s + motion.ground[g + 1]];
}

function turnOf(motion, frame, joint) {
  const at = 4 * (frame * motion.model.joints.length + joint), t = motion.turn;
  const q = [t[at], t[at + 1], t[at + 2], t[at + 3]], size = Math.hypot(...q) || 1;
  return q.map((x) => x / size);
}

// Small mathematics: matrices column by column --------------------------------------------------------------------------------------

const rad = Math.PI / 180;
const dot = (a, b) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const cross = (a, b) => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];

function axesOf(c) {
  const a = c.yaw * rad, b = c.pitch * rad;
  const back = [Math.sin(a) * Math.cos(b), Math.sin(b), Math.cos(a) * Math.cos(b)], right = [Math.cos(a), 0, -Math.sin(a)];
  return [right, cross(back, right), back];
}

function cameraMatrix(c, aspect) {
  const [r, u, k] = axesOf(c), eye = c.target.map((x, i) => x + k[i] * c.distance);
  const near = Math.max(0.02, c.distance * 0.02), far = c.distance * 4 + 60, half = Math.tan(17 * rad);
  const view = [r[0], u[0], k[0], 0, r[1], u[1], k[1], 0, r[2], u[2], k[2], 0, -dot(r, eye), -dot(u, eye), -dot(k, eye), 1];
  const p = new Array(16).fill(0);
  if (c.perspective) {
    p[0] = 1 / (half * aspect); p[5] = 1 / half; p[10] = (far + near) / (near - far); p[14] = 2 * far * near / (near - far); p[11] = -1;
  } else {
    const h = half * c.distance;
    p[0] = 1 / (h * aspect); p[5] = 1 / h; p[10] = -1 / far; p[15] = 1;
  }
  return { matrix: times(p, view), eye };
}

function times(a, b) {
  const out = new Float32Array(16);
  for (let c = 0; c < 4; c++) for (let r = 0; r < 4; r++) for (let k = 0; k < 4; k++) out[4 * c + r] += a[4 * k + r] * b[4 * c + k];
  return out;
}

function rows(q, p) { // of a joint: three rows of a 3x4 matrix
  const [x, y, z, w] = q;
  return [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w), p[0], 2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w), p[1],
    2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y), p[2]];
}

// Drawing ----------------------------------------------------------------------------------------------------------------------------

const SKIN = `#version 300 es
precision highp float; precision highp sampler2D;
uniform mat4 camera; uniform sampler2D bones; uniform bool shadow; uniform vec3 light, low, span;
in vec3 position; in vec3 normal; in uvec4 joint; in vec4 weight; in vec3 colour; out vec3 n, world, base;
void main() { vec4 a = vec4(0.0), b = vec4(0.0), c = vec4(0.0);
  for (int i = 0; i < 4; i++) { float w = weight[i]; if (w > 0.0) { int j = int(joint[i]) * 3;
    a += w * texelFetch(bones, ivec2(j, 0), 0); b += w * texelFetch(bones, ivec2(j + 1, 0), 0); c += w * texelFetch(bones, ivec2(j + 2, 0), 0); } }
  float sum = dot(weight, vec4(1.0)); a /= sum; b /= sum; c /= sum;
  vec4 p = vec4(low + position * span, 1.0); world = vec3(dot(a, p), dot(b, p), dot(c, p));
  n = vec3(dot(a.xyz, normal), dot(b.xyz, normal), dot(c.xyz, normal)); base = colour;
  if (shadow) world -= light * (world.y / light.y);
  gl_Position = camera * vec4(world, 1.0); }`;
const SKIN_LIT = `#version 300 es
precision highp float;
uniform vec3 light, eye, sky, ground, tint, dark; uniform float share, alpha; uniform bool shadow; in vec3 n, world, base; out vec4 pixel;
void main() { gl_FragDepth = gl_FragCoord.z; if (shadow) { gl_FragDepth = 0.99999; pixel = vec4(dark, 0.3); return; }
  vec3 v = normalize(eye - world), m = normalize(n); if (dot(m, v) < 0.0) m = -m;
  float key = max(dot(m, light), 0.0), rim = pow(1.0 - max(dot(m, v), 0.0), 3.0);
  vec3 c = mix(base, tint, share); c = c * (mix(ground * 0.42, sky * 0.62, m.y * 0.5 + 0.5) + key * vec3(0.92, 0.88, 0.80)) + rim * 0.10 * sky;
  pixel = vec4(pow(c, vec3(1.0 / 2.2)), alpha); }`;
const LINE = `#version 300 es
precision highp float;
uniform mat4 camera; uniform vec2 size; in vec2 corner; in vec3 start, end; in vec2 widths; in vec4 colour; out vec4 c;
void main() { vec4 a = camera * vec4(start, 1.0), b = camera * vec4(end, 1.0); float near = 0.02;
  if (a.w < near && b.w < near) { gl_Position = vec4(2.0, 2.0, 2.0, 1.0); return; }
  if (a.w < near) a = mix(b, a, (b.w - near) / (b.w - a.w)); if (b.w < near) b = mix(a, b, (a.w - near) / (a.w - b.w));
  vec2 way = (b.xy / b.w - a.xy / a.w) * size; way = length(way) > 1e-6 ? normalize(way) : vec2(1.0, 0.0);
  vec4 p = mix(a, b, corner.x); float wide = mix(widths.x, widths.y, corner.x);
  p.xy += vec2(-way.y, way.x) * corner.y * wide / size * p.w; c = colour; gl_Position = p; }`;
const LINE_FLAT = `#version 300 es
precision highp float;
in vec4 c; out vec4 pixel; void main() { pixel = c; }`;
const SKY = `#version 300 es
in vec2 corner; out float h; void main() { h = corner.y; gl_Position = vec4(corner, 0.999999, 1.0); }`;
const SKY_FILL = `#version 300 es
precision highp float;
uniform vec3 sky, ground; uniform float horizon; in float h; out vec4 pixel;
void main() { pixel = vec4(mix(ground, sky, smoothstep(-0.55, 0.35, h - horizon)), 1.0); }`;

const canvas = $("picture"), gl = canvas.getContext("webgl2", { antialias: true, preserveDrawingBuffer: true });
const LIGHT = [0.35, 0.86, 0.37].map((x) => x / Math.hypot(0.35, 0.86, 0.37));

function program(vertex, fragment) {
  const p = gl.createProgram();
  for (const [type, source] of [[gl.VERTEX_SHADER, vertex], [gl.FRAGMENT_SHADER, fragment]]) {
    const s = gl.createShader(type);
    gl.shaderSource(s, source); gl.compileShader(s);
    if (!gl.getShaderParameter(s, gl.COMPILE_STATUS)) throw new Error(gl.getShaderInfoLog(s));
    gl.attachShader(p, s);
  }
  gl.linkProgram(p);
  const set = {};
  for (let i = 0; i < gl.getProgramParameter(p, gl.ACTIVE_UNIFORMS); i++) {
    const { name, type } = gl.getActiveUniform(p, i), at = gl.getUniformLocation(p, name);
    set[name] = type === gl.FLOAT_MAT4 ? (v) => gl.uniformMatrix4fv(at, false, v) : type === gl.FLOAT_VEC3 ? (v) => gl.uniform3fv(at, v)
      : type === gl.FLOAT_VEC2 ? (v) => gl.uniform2fv(at, v) : type === gl.FLOAT ? (v) => gl.uniform1f(at, v) : (v) => gl.uniform1i(at, v);
  }
  return { p, set, at: (name) => gl.getAttribLocation(p, name) };
}

const skin = gl && program(SKIN, SKIN_LIT), strokes = gl && program(LINE, LINE_FLAT), sky = gl && program(SKY, SKY_FILL);
const square = gl && bufferOf(new Float32Array([-1, -1, 1, -1, -1, 1, 1, 1])), corners = gl && bufferOf(new Float32Array([0, -1, 1, -1, 0, 1, 1, 1]));
const lineData = gl && gl.createBuffer(), bones = gl && gl.createTexture();

function bufferOf(data, kind = gl.ARRAY_BUFFER) {
  const b = gl.createBuffer();
  gl.bindBuffer(kind, b); gl.bufferData(kind, data, gl.STATIC_DRAW);
  return b;
}

function attribute(at, buffer, size, type, normal = false, stride = 0, offset = 0, each = 0, whole = false) {
  gl.bindBuffer(gl.ARRAY_BUFFER, buffer); gl.enableVertexAttribArray(at);
  if (whole) gl.vertexAttribIPointer(at, size, type, stride, offset); else gl.vertexAttribPointer(at, size, type, normal, stride, offset);
  gl.vertexAttribDivisor(at, each);
}

function shapeOf(mesh) { // to the graphics card once
  if (mesh.vao) return mesh;
  mesh.vao = gl.createVertexArray(); gl.bindVertexArray(mesh.vao);
  attribute(skin.at("position"), bufferOf(mesh.position), 3, gl.UNSIGNED_SHORT, true);
  attribute(skin.at("normal"), bufferOf(mesh.normal), 3, gl.BYTE, true);
  attribute(skin.at("joint"), bufferOf(mesh.joint), 4, gl.UNSIGNED_SHORT, false, 0, 0, 0, true);
  attribute(skin.at("weight"), bufferOf(mesh.weight), 4, gl.UNSIGNED_BYTE, true);
  attribute(skin.at("colour"), bufferOf(mesh.colour), 3, gl.UNSIGNED_BYTE, true);
  bufferOf(mesh.triangle, gl.ELEMENT_ARRAY_BUFFER);
  gl.bindVertexArray(null);
  return mesh;
}

function drawFigure(seen, camera, shadow) {
  const { motion, frame, shift, look } = seen, n = motion.model.joints.length;
  gl.useProgram(skin.p);
  for (const [name, v] of Object.entries({ camera: camera.matrix, light: LIGHT, shadow: shadow ? 1 : 0, eye: camera.eye, sky: look.sky, ground: look.floor,
    tint: look.before, dark: look.shadow, share: seen.share, alpha: seen.alpha, bones: 0 })) skin.set[name]?.(v);
  for (const mesh of motion.model.meshes) {
    shapeOf(mesh);
    const data = new Float32Array(12 * n);
    for (let j = 0; j < n; j++) {
      const p = placeOf(motion, frame, j), m = rows(turnOf(motion, frame, j), [p[0] + shift[0], p[1], p[2] + shift[2]]), b = mesh.bind;
      for (let r = 0; r < 3; r++) for (let c = 0; c < 4; c++) {
        const k = 12 * j + c;
        data[12 * j + 4 * r + c] = m[4 * r] * b[k] + m[4 * r + 1] * b[k + 4] + m[4 * r + 2] * b[k + 8] + (c === 3 ? m[4 * r + 3] : 0);
      }
    }
    gl.activeTexture(gl.TEXTURE0); gl.bindTexture(gl.TEXTURE_2D, bones);
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA32F, 3 * n, 1, 0, gl.RGBA, gl.FLOAT, data);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.NEAREST); gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.NEAREST);
    skin.set.low(mesh.low); skin.set.span(mesh.span);
    gl.bindVertexArray(mesh.vao);
    gl.drawElements(gl.TRIANGLES, mesh.triangle.length, gl.UNSIGNED_INT, 0);
  }
  gl.bindVertexArray(null);
}

function drawStrokes(list, camera) { // each: start, end, two widths, colour
  if (!list.length) return;
  gl.useProgram(strokes.p); strokes.set.camera(camera.matrix); strokes.set.size([canvas.width, canvas.height]);
  attribute(strokes.at("corner"), corners, 2, gl.FLOAT);
  gl.bindBuffer(gl.ARRAY_BUFFER, lineData); gl.bufferData(gl.ARRAY_BUFFER, new Float32Array(list.flat()), gl.DYNAMIC_DRAW);
  for (const [name, size, offset] of [["start", 3, 0], ["end", 3, 12], ["widths", 2, 24], ["colour", 4, 32]])
    attribute(strokes.at(name), lineData, size, gl.FLOAT, false, 48, offset, 1);
  gl.drawArraysInstanced(gl.TRIANGLE_STRIP, 0, 4, list.length);
  for (const name of ["start", "end", "widths", "colour"]) gl.vertexAttribDivisor(strokes.at(name), 0);
}

function bonesOf(seen) {
  const { motion, frame, shift, look } = seen;
  const ends = motion.model.bones.map(([a, b, side]) => [placeOf(motion, frame, a), placeOf(motion, frame, b), side]);
  for (const [j, x, y, z, side] of motion.model.tips) {
    const p = placeOf(motion, frame, j), m = rows(turnOf(motion, frame, j), p);
    ends.push([p, [0, 4, 8].map((r) => m[r] * x + m[r + 1] * y + m[r + 2] * z + m[r + 3]), side]);
  }
  return ends.map(([p, q, side]) => {
    const wide = Math.min(7, Math.max(2, 22 * Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2])));
    return [p[0] + shift[0], p[1], p[2] + shift[2], q[0] + shift[0], q[1], q[2] + shift[2], wide, 1.2, ...look.sides[side], seen.alpha * 0.9];
  });
}

function gridOf(c, look) {
  const out = [], far = Math.max(6, c.distance * 2.2), x0 = Math.round(c.target[0]), z0 = Math.round(c.target[2]), n = Math.ceil(far);
  for (const flat of [0, 2]) for (let k = -n; k <= n; k++) for (let i = -6; i < 6; i++) {
    const a = i * far / 6, b = (i + 1) * far / 6, fade = 1 - (Math.hypot(k, (a + b) / 2) / far) ** 2, own = (flat ? z0 : x0) + k;
    if (fade <= 0.02) continue;
    const strong = own % 5 === 0, colour = strong ? look.strong : look.fine, wide = strong ? 1.6 : 1;
    const p = flat ? [x0 + a, 0, own, x0 + b, 0, own] : [own, 0, z0 + a, own, 0, z0 + b];
    out.push([...p, wide, wide, colour[0], colour[1], colour[2], colour[3] * fade]);
  }
  return out;
}

// What is looked at ------------------------------------------------------------------------------------------------------------------

const MODES = ["After", "Before", "Both", "Side by side"];
const state = { take: null, frame: 0, mode: "After", playing: false, camera: null, follow: true, joints: false, dark: matchMedia("(prefers-color-scheme: dark)").matches };
const look = () => book.looks[state.dark ? 1 : 0];

function shown() {
  const t = state.take, l = look(), f = state.frame, before = t.map ? t.map[f] : Math.min(f, t.before.frames - 1), [right] = axesOf(state.camera), away = 0.32 * t.height;
  const after = { motion: t.after, frame: f, shift: [0, 0, 0], share: 0, alpha: 1, look: l, name: t.name };
  const source = { motion: t.before, frame: before, shift: [0, 0, 0], share: 0.55, alpha: 1, look: l, name: "Before" };
  if (state.mode === "Before") return [source];
  if (state.mode === "Both") return [after, { ...source, alpha: 0.42, pale: true }];
  if (state.mode === "Side by side") return [{ ...source, shift: right.map((x) => -x * away) }, { ...after, shift: right.map((x) => x * away) }];
  return [after];
}

function draw() {
  if (!gl || !state.take) return;
  const wide = Math.round(canvas.clientWidth * devicePixelRatio), high = Math.round(canvas.clientHeight * devicePixelRatio);
  if (canvas.width !== wide || canvas.height !== high) { canvas.width = wide; canvas.height = high; }
  const l = look(), seen = shown(), c = { ...state.camera, target: [...state.camera.target] };
  if (state.follow) {
    const m = seen[0].motion, g = 2 * seen[0].frame;
    c.target[0] += m.ground[g] - m.ground[0]; c.target[2] += m.ground[g + 1] - m.ground[1];
  }
  const camera = cameraMatrix(c, wide / high);
  gl.viewport(0, 0, wide, high); gl.clearColor(...l.sky, 1); gl.clear(gl.COLOR_BUFFER_BIT | gl.DEPTH_BUFFER_BIT);
  gl.enable(gl.BLEND); gl.blendFuncSeparate(gl.SRC_ALPHA, gl.ONE_MINUS_SRC_ALPHA, gl.ONE, gl.ONE_MINUS_SRC_ALPHA); gl.disable(gl.DEPTH_TEST);
  gl.useProgram(sky.p); sky.set.sky(l.sky); sky.set.ground(l.floor); sky.set.horizon(Math.max(-1.2, Math.min(1.2, Math.tan(c.pitch * rad) * 1.6)));
  attribute(sky.at("corner"), square, 2, gl.FLOAT); gl.drawArrays(gl.TRIANGLE_STRIP, 0, 4);
  if (c.pitch > -2) drawStrokes(gridOf(c, l), camera);
  gl.enable(gl.DEPTH_TEST);
  if (c.pitch > 0) for (const s of seen) if (!s.pale) drawFigure(s, camera, true);
  for (const s of seen) drawFigure(s, camera, false);
  gl.disable(gl.DEPTH_TEST);
  for (const s of seen) if (state.joints || !s.motion.model.meshes.length) drawStrokes(bonesOf(s), camera);
  $("names").replaceChildren(...(seen.length > 1 && !seen[1].pale ? seen : []).map((s) => Object.assign(document.createElement("span"), { textContent: s.name })));
}

let asked = false;
function refresh() {
  if (asked) return;
  asked = true;
  requestAnimationFrame(() => { asked = false; draw(); });
}

function goTo(frame) {
  const t = state.take;
  state.frame = Math.max(0, Math.min(t.frames - 1, Math.round(frame)));
  $("frame").value = state.frame;
  $("where").textContent = `frame ${state.frame} of ${t.frames - 1} · ${(state.frame / t.rate).toFixed(2)} s`;
  for (const plot of document.querySelectorAll("figure canvas")) drawPlot(plot);
  refresh();
}

function play(on) {
  state.playing = on;
  $("play").textContent = on ? "❚❚" : "▶";
  let last = performance.now(), at = state.frame;
  const step = (now) => {
    if (!state.playing) return;
    const t = state.take;
    at += (now - last) / 1000 * t.rate * t.speed; last = now;
    if (at >= t.frames - (t.loop ? 1 : 0)) at = 0; // a loop's last frame repeats its first
    if (Math.floor(at) !== state.frame) goTo(Math.floor(at));
    requestAnimationFrame(step);
  };
  if (on) requestAnimationFrame(step);
}

// The page about it ------------------------------------------------------------------------------------------------------------------

const made = (tag, text, more = {}) => Object.assign(document.createElement(tag), { textContent: text }, more);

function drawMarks() {
  const t = state.take, c = $("marks"), w = c.width = Math.round(c.clientWidth * devicePixelRatio), h = c.height = Math.round(14 * devicePixelRatio), p = c.getContext("2d");
  const css = getComputedStyle(document.documentElement), x = (f) => 8 + f / Math.max(1, t.frames - 1) * (w - 16);
  for (const f of t.findings) {
    p.fillStyle = css.getPropertyValue(f.accepted ? "--quiet" : "--warn");
    p.globalAlpha = 0.3; p.fillRect(x(f.first), h / 2 - 2, Math.max(2, x(f.last) - x(f.first)), 4);
    p.globalAlpha = 1; p.beginPath(); p.arc(x(f.worst), h / 2, 4, 0, 7); p.fill();
  }
}

function drawPlot(canvas) {
  const m = canvas.measure, w = canvas.width = Math.round(canvas.clientWidth * devicePixelRatio), h = canvas.height = Math.round(64 * devicePixelRatio), p = canvas.getContext("2d");
  const css = getComputedStyle(document.documentElement), all = [...m.after, ...(m.before || [])], low = Math.min(...all), high = Math.max(...all), span = high - low || 1;
  const x = (f) => f / Math.max(1, m.after.length - 1) * (w - 2) + 1, y = (v) => h - 5 - (v - low) / span * (h - 10);
  for (const [values, colour] of [[m.before, "--before"], [m.after, "--accent"]]) {
    if (!values) continue;
    p.strokeStyle = css.getPropertyValue(colour); p.lineWidth = 1.4 * devicePixelRatio; p.beginPath();
    values.forEach((v, f) => p.lineTo(x(f), y(v)));
    p.stroke();
  }
  p.strokeStyle = css.getPropertyValue("--ink"); p.lineWidth = 1; p.beginPath(); p.moveTo(x(state.frame), 0); p.lineTo(x(state.frame), h); p.stroke();
  const now = m.after[state.frame], was = m.before && m.before[state.frame];
  canvas.label.textContent = `${now.toFixed(1)} ${m.unit}` + (was === undefined || was === null ? "" : ` (before ${was.toFixed(1)})`);
}

function setView(i) {
  const v = state.take.views[i];
  if (!v) return;
  $("views").value = i;
  state.camera = { ...v, target: [...v.target] };
  state.follow = $("follow").checked = v.follow;
  refresh();
}

function setMode(name) {
  state.mode = name;
  for (const b of $("modes").children) b.setAttribute("aria-checked", String(b.textContent === name));
  refresh();
}

function setDark(on) {
  state.dark = on;
  document.documentElement.classList.toggle("dark", on);
  if (state.take) { drawMarks(); goTo(state.frame); }
}

function finding(by) {
  const all = state.take.findings.filter((f) => !f.accepted).map((f) => f.worst).sort((a, b) => a - b), now = state.frame;
  if (all.length) goTo(by > 0 ? all.find((f) => f > now) ?? all[0] : all.findLast((f) => f < now) ?? all[all.length - 1]);
}

async function open(i) {
  play(false);
  const t = state.take = await takeOf(i);
  $("takes").value = i;
  $("title").textContent = book.title;
  $("frame").max = t.frames - 1;
  $("steps").replaceChildren(...(t.steps.length ? t.steps.map((s) => made("li", s)) : [made("li", "As the source: no steps.")]));
  const live = t.findings.filter((f) => !f.accepted).length;
  $("found").textContent = `Findings (${live})`;
  $("findings").replaceChildren(...t.findings.map((f) => {
    const b = made("button", "", { type: "button", className: f.accepted ? "put-up" : "" }), by = f.step ? ` · by ${f.step}` : "";
    b.append(made("b", f.text), document.createElement("br"), made("small", `frames ${f.first} to ${f.last}${by}${f.accepted ? ` · accepted: ${f.accepted}` : ""}`));
    b.onclick = () => { goTo(f.worst); };
    const li = document.createElement("li"); li.append(b); return li;
  }), ...(t.findings.length ? [] : [made("li", "Nothing is found.")]));
  $("facts").textContent = t.facts;
  $("modes").hidden = t.before === t.after;
  if (t.before === t.after) setMode("After");
  $("views").replaceChildren(...t.views.map((v, k) => made("option", v.name, { value: k })));
  $("plots").replaceChildren(...t.measures.map((m) => {
    const f = document.createElement("figure"), head = made("figcaption", ""), c = document.createElement("canvas"), label = made("span", "");
    head.append(made("span", m.title), label); c.measure = m; c.label = label; f.append(head, c);
    c.onclick = (e) => goTo(e.offsetX / c.clientWidth * (t.frames - 1));
    return f;
  }));
  setView(0); drawMarks(); goTo(Math.min(state.frame, t.frames - 1));
  document.body.dataset.ready = String(i);
}

// Hands ------------------------------------------------------------------------------------------------------------------------------

$("takes").replaceChildren(...book.takes.map((name, i) => made("option", name, { value: i })));
$("choice").hidden = book.takes.length < 2;
$("takes").onchange = () => { state.frame = 0; open(Number($("takes").value)); };
$("modes").replaceChildren(...MODES.map((name) => made("button", name, { type: "button", role: "radio", onclick: () => setMode(name) })));
$("views").onchange = () => setView(Number($("views").value));
$("joints").onchange = () => { state.joints = $("joints").checked; refresh(); };
$("follow").onchange = () => { state.follow = $("follow").checked; refresh(); };
$("theme").onclick = () => setDark(!state.dark);
$("play").onclick = () => play(!state.playing);
$("frame").oninput = () => { play(false); goTo(Number($("frame").value)); };
$("marks").onclick = (e) => {
  const x = e.offsetX / $("marks").clientWidth * (state.take.frames - 1), near = [...state.take.findings].sort((a, b) => Math.abs(a.worst - x) - Math.abs(b.worst - x))[0];
  goTo(near && Math.abs(near.worst - x) < state.take.frames * 0.03 ? near.worst : x);
};
let held = null;
canvas.onpointerdown = (e) => { held = [e.clientX, e.clientY]; canvas.setPointerCapture(e.pointerId); };
canvas.onpointerup = () => { held = null; };
canvas.onpointermove = (e) => {
  if (!held) return;
  const dx = e.clientX - held[0], dy = e.clientY - held[1];
  held = [e.clientX, e.clientY];
  if (e.shiftKey || e.buttons > 1) pan(dx, dy); else orbit(dx, dy);
};
canvas.oncontextmenu = (e) => e.preventDefault();
canvas.onwheel = (e) => { e.preventDefault(); zoom(Math.exp(e.deltaY * 0.001)); };
function orbit(dx, dy) { const c = state.camera; c.yaw -= dx * 0.4; c.pitch = Math.max(-89.9, Math.min(89.9, c.pitch + dy * 0.4)); refresh(); }
function pan(dx, dy) {
  const c = state.camera, [r, u] = axesOf(c), size = 2 * Math.tan(17 * rad) * c.distance / canvas.clientHeight;
  c.target = c.target.map((x, i) => x - r[i] * dx * size + u[i] * dy * size); refresh();
}
function zoom(by) { state.camera.distance = Math.max(0.05, Math.min(500, state.camera.distance * by)); refresh(); }
onkeydown = (e) => {
  if (!state.take || e.ctrlKey || e.altKey || e.metaKey || ["SELECT"].includes(e.target.tagName)) return;
  const own = e.target.tagName === "BUTTON" && (e.key === " " || e.key === "Enter"), turn = { ArrowLeft: [-15, 0], ArrowRight: [15, 0], ArrowUp: [0, -15], ArrowDown: [0, 15] }[e.key];
  if (own || (e.target.type === "checkbox" && e.key === " ")) return;
  if (e.shiftKey && turn) orbit(...turn);
  else if (e.key === " ") play(!state.playing);
  else if (e.key === "ArrowLeft" || e.key === "ArrowRight") { play(false); goTo(state.frame + (e.key === "ArrowRight" ? 1 : -1)); }
  else if (e.key === "Home" || e.key === "End") goTo(e.key === "Home" ? 0 : state.take.frames - 1);
  else if (e.key === "n" || e.key === "p") finding(e.key === "n" ? 1 : -1);
  else if (e.key === "+" || e.key === "-") zoom(e.key === "+" ? 0.9 : 1.1);
  else if (/^[1-9]$/.test(e.key)) setView(Number(e.key) - 1);
  else return;
  e.preventDefault();
};
onresize = () => { if (state.take) { drawMarks(); goTo(state.frame); } };
setMode("After"); setDark(state.dark);
if (!gl) $("names").textContent = "This browser has no WebGL 2: the figure cannot be drawn.";
// For whoever checks the page: what it shows, in numbers.
window.review = { state, goTo, open, place: (which, frame, joint) => placeOf(state.take[which], frame, joint) };
open(0);
