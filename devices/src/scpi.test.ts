import { judgeSeries, type SeriesPoint } from '@cellmend/core/insulation';
import { InputProblem } from '@cellmend/core/pack';
import { spawn } from 'node:child_process';
import { createServer } from 'node:net';
import { join } from 'node:path';
import { afterEach, describe, expect, it } from 'vitest';
import { OFF_WITHIN_MS, runTest, type RunEnd, type RunOptions } from './instrument';
import { openScpiTester, ScpiClient, SimulatedTester, type ClippedTo, type TesterFaults } from './scpi';

const open: SimulatedTester[] = [];
afterEach(() => {
  for (const t of open.splice(0)) t.stop();
});

const GOOD: ClippedTo = { leakOhm: null, goodOhm: 2.1e9 };
const ASK: RunOptions = { setV: 500, mostV: 1000, seconds: 60, timeScale: 120, everyMs: 40 };

async function tester(on = GOOD, faults: TesterFaults = {}, speed = 120) {
  const started = await SimulatedTester.start(on, speed, faults);
  open.push(started.tester);
  return started;
}
/** Runs a test on a simulated tester and says how it ended, how long that took, and whether its output is off. */
async function run(on: ClippedTo, faults: TesterFaults = {}, ask: Partial<RunOptions> = {}) {
  const { tester: t, port } = await tester(on, faults);
  const again = () => openScpiTester('127.0.0.1', port);
  const instrument = await again();
  const began = performance.now();
  const end: RunEnd = await runTest(instrument, again, { ...ASK, ...ask });
  return { ...end, tookMs: performance.now() - began, on: t.outputIsOn };
}
const judge = (points: SeriesPoint[]) =>
  judgeSeries({
    setV: 500,
    points,
    temperatureC: null,
    modules: 6,
    moduleLeastOhm: 20e6,
    workingV: 350,
    mostV: 1000,
    mounted: true,
  });

describe('an insulation tester over SCPI', () => {
  it('holds its voltage on good insulation, which rises', async () => {
    const { points, why, output, on } = await run(GOOD);
    expect({ why, output, on }).toEqual({ why: '', output: 'off', on: false });
    expect(points.every((p, i) => i === 0 || p.timeS > points[i - 1]!.timeS)).toBe(true);
    expect(points[points.length - 1]).toMatchObject({ voltageV: 500 });
    expect(judge(points)).toMatchObject({ verdict: 'pass', rising: true });
  });

  it('is pinned by a leak, as a real one with a current limit is', async () => {
    const { points } = await run({ leakOhm: 6200, goodOhm: 2e9 });
    expect(points[points.length - 1]!.voltageV).toBeLessThan(30);
    const judged = judge(points);
    expect(judged.verdict).toBe('leak');
    expect(judged.bound!.low).toBeLessThan(6200);
    expect(judged.bound!.high).toBeGreaterThan(6200);
  });

  it('is read by an independent client: plain Python sockets', async () => {
    const { port } = await tester();
    const script = `
import socket
s = socket.create_connection(('127.0.0.1', ${port}))
f = s.makefile('rw', newline='\\n')
def ask(c):
    f.write(c + '\\n'); f.flush(); return f.readline().strip()
def say(c):
    f.write(c + '\\n'); f.flush()
print(ask('*IDN?'))
say('SOUR:VOLT 500'); say('OUTP ON'); print(ask('OUTP?'), len(ask('FETC?').split(',')))
say('OUTP OFF'); print(ask('OUTP?'))
`;
    // Not waited for in one piece: the tester answers from this very process.
    const out = await new Promise<string>((resolve) => {
      const child = spawn('/usr/bin/python3', ['-c', script]);
      let text = '';
      child.stdout.on('data', (d) => (text += String(d)));
      child.on('close', () => resolve(text));
    });
    expect(out.trim().split('\n')).toEqual(['Bold Cellmend,simulated insulation tester,0,2', '1 3', '0']);
  });

  it('says when nobody answers, or never ends a line', async () => {
    await expect(ScpiClient.open('127.0.0.1', 1)).rejects.toThrow(/does not answer/);
    const server = createServer((s) => {
      s.on('error', () => undefined);
      s.on('data', () => s.write('x'.repeat(5000)));
    });
    await new Promise<void>((r) => server.listen(0, '127.0.0.1', r));
    await expect(ScpiClient.open('127.0.0.1', (server.address() as { port: number }).port)).rejects.toThrow(
      InputProblem,
    );
    server.close();
  });
});

describe('the output comes off on every way out', () => {
  it('at Stop, within a second', async () => {
    const stop = new AbortController();
    setTimeout(() => stop.abort('Stop was pressed'), 120);
    const end = await run(GOOD, {}, { signal: stop.signal, timeScale: 1 });
    expect(end).toMatchObject({ why: 'Stop was pressed', output: 'off', on: false });
    expect(end.tookMs).toBeLessThan(1120);
  });

  it('at Stop on an instrument that no longer answers: told as unknown within a second', async () => {
    const stop = new AbortController();
    let pressedMs = 0;
    // It has answered once, and does so no more: on a slow machine too, Stop comes after that.
    const onPoint = (): void =>
      void setTimeout(() => {
        pressedMs = performance.now();
        stop.abort('Stop was pressed');
      }, 150);
    const faults = { silentAfter: 1, noWatchdog: true };
    const end = await run(GOOD, faults, { signal: stop.signal, timeScale: 1, onPoint });
    expect(end).toMatchObject({ output: 'unknown' });
    expect(performance.now() - pressedMs).toBeLessThan(OFF_WITHIN_MS + 300);
    expect(end.points).toHaveLength(1);
  });

  it('when the instrument falls silent, by its own watchdog where it has one', async () => {
    const { tester: t, port } = await tester(GOOD, { silentAfter: 2 }, 1);
    const again = () => openScpiTester('127.0.0.1', port);
    const end = await runTest(await again(), again, { ...ASK, timeScale: 1 });
    expect(end.why).toMatch(/fell silent/);
    expect(end.output).toBe('unknown');
    await new Promise((r) => setTimeout(r, 600));
    expect(t.outputIsOn).toBe(false);
  });

  it('when a reading cannot be, or a limit is crossed', async () => {
    expect(await run(GOOD, { nonsense: true })).toMatchObject({
      why: expect.stringMatching(/something else than time/),
      on: false,
    });
    expect(await run(GOOD, { overshootV: 200 })).toMatchObject({
      why: expect.stringMatching(/put out 700 V where 500 V were set/),
      on: false,
    });
    expect(await run(GOOD, { overshootV: 40 }, { mostV: 520 })).toMatchObject({
      why: expect.stringMatching(/more than the 520 V that is allowed/),
      on: false,
    });
  });

  it('by our own clock when the instrument’s stands still', async () => {
    const end = await run(GOOD, { frozenClock: true }, { seconds: 30 });
    expect(end).toMatchObject({ why: '', output: 'off', on: false });
    expect(end.tookMs).toBeLessThan(2500);
    expect(end.points[end.points.length - 1]!.timeS).toBeGreaterThan(20);
  });

  it('and never goes on beyond what is allowed', async () => {
    await expect(run(GOOD, {}, { setV: 1000, mostV: 500 })).rejects.toThrow(/more than the 500 V/);
    const stopped = new AbortController();
    stopped.abort('already');
    expect(await run(GOOD, {}, { signal: stopped.signal })).toMatchObject({ points: [], on: false });
  });

  it('when whoever drives it is killed', async () => {
    const { tester: t, port } = await tester(GOOD, {}, 1);
    const driver = spawn(
      process.execPath,
      [
        '--import',
        'tsx',
        '--input-type=module',
        '-e',
        `const { runTest } = await import('${join(import.meta.dirname, 'instrument.ts')}');
         const { openScpiTester } = await import('${join(import.meta.dirname, 'scpi.ts')}');
         const again = () => openScpiTester('127.0.0.1', ${port});
         await runTest(await again(), again, { setV: 500, mostV: 1000, seconds: 60, onPoint: () => console.log('point') });`,
      ],
      { cwd: join(import.meta.dirname, '../..') },
    );
    await new Promise<void>((resolve) => driver.stdout.once('data', () => resolve()));
    expect(t.outputIsOn).toBe(true);
    driver.kill('SIGKILL');
    await new Promise((r) => setTimeout(r, 2600));
    expect(t.outputIsOn).toBe(false);
  }, 20_000);
});
