// Plays one animation of a GLB with a general-purpose WebGL library and prints node world positions:
// node play.mjs FILE ANIMATION TIMES_AS_JSON  ->  [time][node][x, y, z]; with "weights" behind it: the weights of the
// first mesh that has morph targets, [time][target]
import { readFileSync } from "node:fs";
import { AnimationMixer, LoopOnce, Vector3 } from "three";
import { GLTFLoader } from "three/addons/loaders/GLTFLoader.js";

globalThis.self ??= globalThis;
const [path, animation, times, what] = process.argv.slice(2);
const bytes = readFileSync(path);
const data = bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength);
const gltf = await new GLTFLoader().parseAsync(data, "");
const count = gltf.parser.json.nodes.length;
const nodes = [];
for (let i = 0; i < count; ++i) nodes.push(await gltf.parser.getDependency("node", i));
const mixer = new AnimationMixer(gltf.scene);
const action = mixer.clipAction(gltf.animations[Number(animation)]);
action.setLoop(LoopOnce);
action.clampWhenFinished = true;
action.play();
let shaped = null;
gltf.scene.traverse((o) => {
  if (o.morphTargetInfluences && !shaped) shaped = o;
});
const out = [];
const v = new Vector3();
for (const t of JSON.parse(times)) {
  action.time = t;
  action.paused = false;
  mixer.update(0);
  gltf.scene.updateMatrixWorld(true);
  out.push(what === "weights" ? [...shaped.morphTargetInfluences] : nodes.map((n) => n.getWorldPosition(v).toArray()));
}
console.log(JSON.stringify(out));
