// Plays one animation of a GLB with a general-purpose WebGL library and prints node world positions:
// node play.mjs FILE ANIMATION TIMES_AS_JSON  ->  [time][node][x, y, z]; with "weights" behind it: the weights of the
// first mesh that has morph targets, [time][target]; with "onto" and another FILE behind it: the animation, an additive clip that
// rests in the file's own pose, added onto the first one of that file
import { readFileSync } from "node:fs";
import { AnimationClip, AnimationMixer, AnimationUtils, LoopOnce, Vector3 } from "three";
import { GLTFLoader } from "three/addons/loaders/GLTFLoader.js";

globalThis.self ??= globalThis;
const [path, animation, times, what, basePath] = process.argv.slice(2);
async function load(path) {
  const bytes = readFileSync(path);
  return new GLTFLoader().parseAsync(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength), "");
}
const moved = await load(path);
const gltf = what === "onto" ? await load(basePath) : moved;
const count = gltf.parser.json.nodes.length;
const nodes = [];
for (let i = 0; i < count; ++i) nodes.push(await gltf.parser.getDependency("node", i));
const mixer = new AnimationMixer(gltf.scene);
const clip = moved.animations[Number(animation)];
if (what === "onto") {
  const rest = clip.tracks.map((track) => {
    const [name, property] = [track.name.slice(0, track.name.lastIndexOf(".")), track.name.slice(track.name.lastIndexOf(".") + 1)];
    return new track.constructor(track.name, [0], moved.scene.getObjectByName(name)[property].toArray());
  });
  AnimationUtils.makeClipAdditive(clip, 0, new AnimationClip("rest", 0, rest), 30);
}
const actions = (what === "onto" ? [gltf.animations[0], clip] : [clip]).map((c) => mixer.clipAction(c));
for (const action of actions) {
  action.setLoop(LoopOnce);
  action.clampWhenFinished = true;
  action.play();
}
let shaped = null;
gltf.scene.traverse((o) => {
  if (o.morphTargetInfluences && !shaped) shaped = o;
});
const out = [];
const v = new Vector3();
for (const t of JSON.parse(times)) {
  for (const action of actions) {
    action.time = t;
    action.paused = false;
  }
  mixer.update(0);
  gltf.scene.updateMatrixWorld(true);
  out.push(what === "weights" ? [...shaped.morphTargetInfluences] : nodes.map((n) => n.getWorldPosition(v).toArray()));
}
console.log(JSON.stringify(out));
