import { judgeSeries, type SeriesPoint } from '@cellmend/core/insulation';
import { InputProblem } from '@cellmend/core/pack';
import { createServer } from 'node:net';
import { describe, expect, it } from 'vitest';
import { runInsulationTest, ScpiClient, SimulatedTester, type ClippedTo } from './scpi';

async function test(on: ClippedTo, setV = 500): Promise<SeriesPoint[]> {
  const { tester, port } = await SimulatedTester.start(on, 120);
  const { client, identity } = await ScpiClient.open('127.0.0.1', port);
  expect(identity).toMatch(/insulation tester/);
  const points: SeriesPoint[] = [];
  await runInsulationTest(client, setV, 60, (p) => points.push(p), 40);
  client.close();
  tester.stop();
  return points;
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
    const points = await test({ leakOhm: null, goodOhm: 2.1e9 });
    expect(points.every((p, i) => i === 0 || p.timeS > points[i - 1]!.timeS)).toBe(true);
    expect(points[points.length - 1]).toMatchObject({ voltageV: 500 });
    expect(judge(points)).toMatchObject({ verdict: 'pass', rising: true });
  });

  it('is pinned by a leak, as a real one with a current limit is', async () => {
    const points = await test({ leakOhm: 6200, goodOhm: 2e9 });
    const last = points[points.length - 1]!;
    expect(last.voltageV).toBeLessThan(30);
    const judged = judge(points);
    expect(judged.verdict).toBe('leak');
    expect(judged.bound!.low).toBeLessThan(6200);
    expect(judged.bound!.high).toBeGreaterThan(6200);
  });

  it('takes the voltage down when the test is broken off', async () => {
    const { tester, port } = await SimulatedTester.start({ leakOhm: null, goodOhm: 1e9 }, 10);
    const { client } = await ScpiClient.open('127.0.0.1', port);
    await expect(
      runInsulationTest(
        client,
        500,
        60,
        () => {
          throw new InputProblem('test', 'Broken off here.', '', '');
        },
        20,
      ),
    ).rejects.toThrow(/Broken off/);
    expect(await client.ask('FETC?')).toBe('0,0,0');
    client.close();
    tester.stop();
  });

  it('says when nobody answers, answers nonsense, or never ends a line', async () => {
    await expect(ScpiClient.open('127.0.0.1', 1)).rejects.toThrow(/does not answer/);
    const serve = async (answer: string): Promise<{ port: number; close: () => void }> => {
      const server = createServer((s) => {
        s.on('error', () => undefined);
        s.on('data', () => s.write(answer));
      });
      await new Promise<void>((r) => server.listen(0, '127.0.0.1', r));
      return { port: (server.address() as { port: number }).port, close: () => server.close() };
    };
    const nonsense = await serve('hello\n');
    const { client } = await ScpiClient.open('127.0.0.1', nonsense.port);
    await expect(runInsulationTest(client, 500, 60, () => undefined, 10)).rejects.toThrow(/something else/);
    client.close();
    nonsense.close();
    const endless = await serve('x'.repeat(5000));
    await expect(ScpiClient.open('127.0.0.1', endless.port)).rejects.toThrow(InputProblem);
    endless.close();
  });
});
