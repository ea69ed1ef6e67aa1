// What a report takes: node page/bench_report.mjs TOOL MANDATE FOLDER. Seconds, and most memory at once.
import { spawn } from "node:child_process";
import { readFileSync } from "node:fs";

const [tool, mandate, folder] = process.argv.slice(2);
const begun = performance.now();
const child = spawn(tool, ["report", "--mandate", mandate, "--out", folder, "--quiet"], { stdio: "inherit" });
let most = 0; // kilobytes, as the kernel counts them
const look = setInterval(() => {
  try {
    most = Math.max(most, Number(readFileSync(`/proc/${child.pid}/status`, "utf8").match(/VmHWM:\s*(\d+)/)?.[1] ?? 0));
  } catch {
    // it has just ended
  }
}, 20);
const code = await new Promise((done) => child.on("exit", done));
clearInterval(look);
if (code !== 0) process.exit(1);
console.log(`report                   ${((performance.now() - begun) / 1000).toFixed(2)} s, ${(most / 1e6).toFixed(2)} GB`);
