// Many at once against a server of its own on loopback: sign-ins, uploads, pictures and archives by a
// private address. Prints what it took, and fails where memory, pages or the temporary folder are
// beyond their limits.
import { execFileSync } from "node:child_process";
import { mkdirSync, readFileSync, readdirSync, rmSync } from "node:fs";
import path from "node:path";
import { Worker } from "node:worker_threads";
import zlib from "node:zlib";
import { password, start } from "./trevik.mjs";

const temp = path.resolve(import.meta.dirname, "..", ".trevik", "attack-temp");
rmSync(temp, { recursive: true, force: true });
mkdirSync(temp, { recursive: true });
process.env.TMPDIR = temp;
const server = await start("attack");
const failures = [];

const mib = (bytes) => Math.round(bytes / 2 ** 20);
const status = (field) => Number(readFileSync(`/proc/${server.pid}/status`, "utf8").match(new RegExp(`${field}:\\s+(\\d+)`))[1]) * 1024;
const clearPeak = () => execFileSync("sh", ["-c", `echo 5 > /proc/${server.pid}/clear_refs`]);

const watching = `
  const { parentPort, workerData } = require("node:worker_threads");
  let done = false;
  parentPort.on("message", () => { done = true; });
  (async () => {
    const pages = [], wrong = [];
    await (await fetch(workerData.url, { headers: { cookie: workerData.cookie } })).arrayBuffer(); // connected
    parentPort.postMessage("ready");
    while (!done) {
      const begin = performance.now();
      const res = await fetch(workerData.url, { headers: { cookie: workerData.cookie }, redirect: "manual" });
      await res.arrayBuffer();
      pages.push(performance.now() - begin);
      if (res.status !== 200) wrong.push(res.status);
      await new Promise((next) => setTimeout(next, 200));
    }
    parentPort.postMessage({ pages, wrong });
  })();
`;

/** Runs something, watching memory and, every 200 ms, how long a page takes. */
async function measured(name, limitMiB, limitMS, run) {
  clearPeak();
  // In a thread of its own: this one is busy with sending.
  const watch = new Worker(watching, { eval: true, workerData: { url: `${server.url}/runners`, cookie } });
  await new Promise((resolve) => watch.once("message", resolve));
  const watched = new Promise((resolve) => watch.on("message", resolve));
  const begin = performance.now();
  const codes = {};
  for (const res of await Promise.all(run())) codes[res] = (codes[res] ?? 0) + 1;
  const seconds = (performance.now() - begin) / 1000;
  watch.postMessage("enough");
  const { pages, wrong } = await watched;
  await watch.terminate();
  if (wrong.length) failures.push(`${name}: a page answered ${wrong.join(", ")}`);
  pages.sort((a, b) => a - b);
  const worst = pages[Math.floor(pages.length * 0.95)] ?? 0;
  const peak = mib(status("VmHWM"));
  console.log(`${name}: ${seconds.toFixed(1)} s, answers ${JSON.stringify(codes)}, at most ${peak} MiB, a page beside it ` +
    `${pages[pages.length >> 1].toFixed(0)} ms in the middle, ${worst.toFixed(0)} ms at 95 %`);
  if (peak > limitMiB) failures.push(`${name}: ${peak} MiB, allowed are ${limitMiB}`);
  if (limitMS && worst > limitMS) failures.push(`${name}: pages took ${worst.toFixed(0)} ms, allowed are ${limitMS}`);
  if (Object.keys(codes).some((c) => c >= 500 && c !== "503")) failures.push(`${name}: ${JSON.stringify(codes)}`);
}

const form = (fields) => new URLSearchParams(fields).toString();
const post = async (to, body, headers = {}) => {
  const res = await fetch(server.url + to, { method: "POST", body, redirect: "manual", headers });
  await res.arrayBuffer();
  return res.status;
};
const token = () => Array.from({ length: 26 }, () => "ABCDEFGHIJKLMNOPQRSTUVWXYZ234567"[Math.floor(Math.random() * 32)]).join("");

async function signIn(login) {
  const res = await fetch(`${server.url}/sign-in`, { method: "POST", body: form({ login, password }), redirect: "manual",
    headers: { "content-type": "application/x-www-form-urlencoded" } });
  return res.headers.getSetCookie().map((c) => c.split(";")[0]).join("; ");
}
const cookie = await signIn("isolde");

/** A PNG of so many pixels a side, all of one colour: small to send, large to hold. */
function png(side) {
  const crcTable = Array.from({ length: 256 }, (_, n) => {
    for (let k = 0; k < 8; k++) n = n & 1 ? 0xedb88320 ^ (n >>> 1) : n >>> 1;
    return n >>> 0;
  });
  const crc = (b) => { let c = 0xffffffff; for (const x of b) c = crcTable[(c ^ x) & 255] ^ (c >>> 8); return (c ^ 0xffffffff) >>> 0; };
  const chunk = (type, data) => {
    const body = Buffer.concat([Buffer.from(type), data]);
    const out = Buffer.alloc(body.length + 8);
    out.writeUInt32BE(data.length, 0);
    body.copy(out, 4);
    out.writeUInt32BE(crc(body), body.length + 4);
    return out;
  };
  const head = Buffer.alloc(13);
  head.writeUInt32BE(side, 0);
  head.writeUInt32BE(side, 4);
  head.set([8, 6, 0, 0, 0], 8);
  const line = Buffer.alloc(1 + 4 * side);
  const deflate = zlib.deflateSync(Buffer.concat(Array.from({ length: side }, () => line)), { level: 9 });
  return Buffer.concat([Buffer.from("\x89PNG\r\n\x1a\n", "latin1"), chunk("IHDR", head), chunk("IDAT", deflate),
    chunk("IEND", Buffer.alloc(0))]);
}

const upload = (to, field, name, data, fields = {}, headers = {}) => {
  const body = new FormData();
  body.set("token", token());
  for (const [k, v] of Object.entries(fields)) body.set(k, v);
  body.set(field, new Blob([data]), name);
  return post(to, body, headers);
};

/** A zip of one GPX that unpacks to so many bytes. */
function archive(bytes) {
  const point = '<trkpt lat="52.1" lon="4.3"><ele>1</ele><time>2026-11-01T08:00:00Z</time></trkpt>\n';
  const gpx = Buffer.from(`<gpx version="1.1"><trk><trkseg>${point.repeat(Math.floor(bytes / point.length))}</trkseg></trk></gpx>`);
  const name = Buffer.from("run.gpx");
  const packed = zlib.deflateRawSync(gpx);
  const crc = zlib.crc32 ? zlib.crc32(gpx) : 0;
  const local = Buffer.alloc(30);
  local.writeUInt32LE(0x04034b50, 0); local.writeUInt16LE(20, 4); local.writeUInt16LE(8, 8); local.writeUInt32LE(crc, 14);
  local.writeUInt32LE(packed.length, 18); local.writeUInt32LE(gpx.length, 22); local.writeUInt16LE(name.length, 26);
  const central = Buffer.alloc(46);
  central.writeUInt32LE(0x02014b50, 0); central.writeUInt16LE(20, 4); central.writeUInt16LE(20, 6); central.writeUInt16LE(8, 10);
  central.writeUInt32LE(crc, 16); central.writeUInt32LE(packed.length, 20); central.writeUInt32LE(gpx.length, 24);
  central.writeUInt16LE(name.length, 28);
  const end = Buffer.alloc(22);
  end.writeUInt32LE(0x06054b50, 0); end.writeUInt16LE(1, 8); end.writeUInt16LE(1, 10);
  end.writeUInt32LE(central.length + name.length, 12); end.writeUInt32LE(local.length + name.length + packed.length, 16);
  return Buffer.concat([local, name, packed, central, name, end]);
}

try {
  await measured("64 sign in at once", 1000, 0, () => Array.from({ length: 64 }, (_, i) => post("/sign-in",
    form({ login: `nobody ${i}`, password: "wrong" }), { "content-type": "application/x-www-form-urlencoded" })));
  const picture = png(7000);
  await measured("64 pictures of 49 megapixels at once", 1000, 0, () => Array.from({ length: 64 }, () => upload("/fits/5/old-pair/photo",
    "photo", "sole.png", picture, { side: "left" }, { cookie })));
  const large = Buffer.alloc(24 << 20, 60);
  await measured("64 files of 24 MiB at once", 1000, 0, () => Array.from({ length: 64 }, () => upload("/fits/5/old-pair/photo", "photo",
    "sole.png", large, { side: "left" }, { cookie })));
  const page = await fetch(`${server.url}/runners/2/link`, { method: "POST", body: form({ token: token() }),
    headers: { cookie, "content-type": "application/x-www-form-urlencoded" } });
  const address = (await page.text()).match(/\/r\/[\w-]{32}/)[0];
  const hostile = archive(60 << 20);
  console.log(`an archive of ${(hostile.length / 2 ** 20).toFixed(1)} MiB that unpacks to 60 MiB`);
  await measured("12 hostile archives by a private address", 1000, 300, () => Array.from({ length: 12 }, () => upload(`${address}/file`,
    "runs_file", "runs.gpx", hostile)));
  const heavy = archive(20 << 20);
  await measured("12 heavy archives by a private address", 1000, 300, () => Array.from({ length: 12 }, () => upload(`${address}/file`,
    "runs_file", "runs.gpx", heavy)));
} finally {
  await server.stop();
}
const left = readdirSync(temp);
console.log(`left in the temporary folder: ${left.length}`);
if (left.length) failures.push(`left in the temporary folder: ${left.join(", ")}`);
rmSync(temp, { recursive: true, force: true });
if (failures.length) {
  console.error(failures.join("\n"));
  process.exit(1);
}
