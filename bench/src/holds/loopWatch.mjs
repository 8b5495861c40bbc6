// Loaded into a server before anything else of it: how long its event loop stood still, and how much memory it had, at most.
import { performance } from 'node:perf_hooks';
import process from 'node:process';
import { setInterval } from 'node:timers';

const EVERY_MS = 10;
let stallMs = 0;
let rss = 0;
let last = performance.now();
setInterval(() => {
  const now = performance.now();
  stallMs = Math.max(stallMs, now - last - EVERY_MS);
  last = now;
  rss = Math.max(rss, process.memoryUsage.rss());
}, EVERY_MS).unref();
process.on('message', (m) => {
  if (m !== 'watch') return;
  process.send?.({ stallMs, rssMb: rss / 1e6 });
  stallMs = 0;
});
