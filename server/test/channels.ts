import { SimulatedCharger, type ChargerFacts, type ChargerFaults } from '@cellmend/devices/simulatedCharger';
import type { ModuleFacts } from '@cellmend/devices/simulatedModule';
import { randomUUID } from 'node:crypto';
import { expect } from 'vitest';
import type { Bench, Client } from './harness';

/** Enters an instrument that is simulated at a port among those of the workshop. */
export async function enter(
  bench: Bench,
  lead: Client,
  kind: string,
  port: number,
  {
    speed = 1,
    ...more
  }: { speed?: number; ohm?: number; readsWith?: string; mostA?: number; mostV?: number } = {},
): Promise<string> {
  const added = await lead.post<{ id: string }>('/api/instruments', {
    name: `channel ${randomUUID().slice(0, 6)}`,
    kind,
    driver: `scpi-${kind}`,
    host: '127.0.0.1',
    port,
    mostV: 60,
    mostA: 20,
    ...more,
  });
  expect(added.status, JSON.stringify(added.body)).toBe(201);
  await bench.running.store.models.Instrument.update({ timeScale: speed }, { where: { id: added.body.id } });
  return added.body.id;
}

/** Chargers of the workshop, each with a module on its leads. */
export class Channels {
  readonly all: SimulatedCharger[] = [];
  async charger(
    bench: Bench,
    lead: Client,
    module: ModuleFacts,
    {
      speed = 1,
      faults = {},
      readsWith,
      ...facts
    }: Partial<ChargerFacts> & { faults?: ChargerFaults; readsWith?: string } = {},
  ): Promise<{ id: string; charger: SimulatedCharger }> {
    const started = await SimulatedCharger.start(
      { role: 'charger', mostV: 60, mostA: 20, speed, ...facts },
      module,
      faults,
    );
    this.all.push(started.charger);
    const id = await enter(bench, lead, facts.role ?? 'charger', started.port, {
      speed,
      ...(facts.mostV ? { mostV: facts.mostV } : {}),
      ...(readsWith ? { readsWith } : {}),
    });
    return { id, charger: started.charger };
  }
  stop(): void {
    for (const c of this.all.splice(0)) c.stop();
  }
}
