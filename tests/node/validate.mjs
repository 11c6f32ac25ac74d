// Prints the public glTF validator's report on each file as JSON.
import { readFileSync } from "node:fs";
import validator from "gltf-validator";

const reports = {};
for (const path of process.argv.slice(2)) {
  const report = await validator.validateBytes(new Uint8Array(readFileSync(path)), { maxIssues: 50 });
  reports[path] = report.issues;
}
console.log(JSON.stringify(reports));
