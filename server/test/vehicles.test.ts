import type { VehicleHistory } from '@cellmend/contract/jobs';
import type { Problem } from '@cellmend/contract/problem';
import { randomUUID } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { packsOf } from './depot';
import { root, startBench, type Bench, type Client } from './harness';

let bench: Bench;
let ina: Client;
beforeAll(async () => {
  bench = await startBench();
  ina = await bench.as('Ina Holm');
});
afterAll(() => bench.end());

const open = async (title: string, plate: string): Promise<{ number: number; vehicle: string }> => {
  const packProfileId = (await packsOf(ina)).find((p) => p.name.startsWith('Marram'))!.id;
  const { number } = (await ina.post<{ number: number }>('/api/jobs', { title, plate, packProfileId })).body;
  const { body } = await ina.get<{ vehicle: { id: string } }>(`/api/jobs/${number}`);
  return { number, vehicle: body.vehicle.id };
};

it('a vehicle keeps what each job measured of it, and its name and plate are corrected with a reason', async () => {
  const { number, vehicle } = await open('Lugworm van', 'HB 99');
  await open('Dune cart', 'HB 12');
  const empty = await ina.get<VehicleHistory>(`/api/vehicles/${vehicle}`);
  expect(empty.body).toMatchObject({ measured: [], corrections: [], vehicle: { plate: 'HB 99' } });
  const text = readFileSync(join(root, 'demo/marram-3-before.csv'), 'utf8');
  const { body: scan } = await ina.post<{ id: string }>(
    `/api/jobs/${number}/scans?name=scan.csv&role=before`,
    text,
  );
  await ina.post(`/api/jobs/${number}/findings`, { topic: 'spread', role: 'before', scanIds: [scan.id] });
  await bench.settled();
  const { measured } = (await ina.get<VehicleHistory>(`/api/vehicles/${vehicle}`)).body;
  expect(measured).toHaveLength(1);
  expect(measured[0]).toMatchObject({ job: number, role: 'before', odometerKm: null });
  const { capacityAh } = measured[0]!;
  expect(capacityAh!.low).toBeLessThan(capacityAh!.value);

  const correct = (who: Client, body: object) =>
    who.post<VehicleHistory & Problem>(`/api/vehicles/${vehicle}/facts`, body);
  // Another vehicle's plate, however it is written; no reason; nobody who may not write.
  const taken = await correct(ina, { name: 'Lugworm van', plate: 'hb 12', reason: 'typed wrong' });
  expect([taken.status, taken.body.detail]).toEqual([409, 'hb 12 is the plate of Dune cart already.']);
  expect((await correct(ina, { name: 'Lugworm van', plate: 'HB 98', reason: ' ' })).status).toBe(400);
  const viewer = await bench.as('Bettine Vale');
  expect((await correct(viewer, { name: 'X', plate: '', reason: 'why' })).status).toBe(403);
  const done = await correct(ina, { name: 'Lugworm van, long', plate: 'HB 98', reason: 'typed wrong' });
  expect(done.status).toBe(201);
  expect(done.body.vehicle).toMatchObject({ name: 'Lugworm van, long', plate: 'HB 98' });
  expect(done.body.corrections[0]).toMatchObject({
    by: 'Ina Holm',
    says: 'Lugworm van, HB 99 is now Lugworm van, long, HB 98: typed wrong',
  });
  // The next job finds it by the plate it has now.
  expect((await open('Lugworm van again', 'hb 98')).vehicle).toBe(vehicle);
  expect((await ina.get(`/api/vehicles/${randomUUID()}`)).status).toBe(404);
});
