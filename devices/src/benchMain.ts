// Simulated chargers with the modules on their leads, and an insulation tester, as a process of its own: told by message what stands on the bench.
import { existsSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { SimulatedTester, type ClippedTo } from './scpi';
import { SimulatedBank } from './simulatedBank';
import { SimulatedCharger, type ChargerFacts, type ChargerFaults } from './simulatedCharger';
import { SimulatedModule, type ModuleFacts, type ModuleState } from './simulatedModule';

/** A module by its name: what stood on another channel before is the same module there. */
export interface ClippedModule {
  name: string;
  facts: ModuleFacts;
}
export type BenchTold =
  | {
      do: 'begin';
      chargers: { facts: ChargerFacts; clipped: ClippedModule; faults?: ChargerFaults; port?: number }[];
      /** A resistor bank behind them, the next channel: the ports of its relay and its logger. */
      bank?: { clipped: ClippedModule; ohm: number; speed: number };
      /** An insulation tester beside them; its port comes last. */
      tester?: ClippedTo & { speed: number };
      /** Where the modules stand is written here, and read from here at the next start. */
      keptIn?: string | undefined;
    }
  | { do: 'clip'; channel: number; clipped: ClippedModule }
  | { do: 'clip-tester'; on: ClippedTo };
const KEEP_EVERY_MS = 2000;

/** Whatever has a module on its leads, by channel. */
const channels: { module: SimulatedModule }[] = [];
const names: string[] = [];
let tester: SimulatedTester | null = null;
const states = new Map<string, ModuleState>();

function clip(channel: number, { name, facts }: ClippedModule): void {
  const held = channels[channel];
  if (!held || names[channel] === name) return;
  states.set(names[channel]!, held.module.state());
  held.module = new SimulatedModule(facts);
  const known = states.get(name);
  if (known) held.module.restore(known);
  names[channel] = name;
}

function hold(held: { module: SimulatedModule }, name: string): void {
  const known = states.get(name);
  if (known) held.module.restore(known);
  channels.push(held);
  names.push(name);
}

async function begin({
  chargers: asked,
  bank,
  tester: clippedTo,
  keptIn,
}: Extract<BenchTold, { do: 'begin' }>): Promise<void> {
  if (keptIn && existsSync(keptIn))
    try {
      for (const [name, s] of JSON.parse(readFileSync(keptIn, 'utf8')) as [string, ModuleState][])
        states.set(name, s);
    } catch {
      // Written half: the modules stand as they did at first.
    }
  const ports: number[] = [];
  for (const { facts, clipped, faults, port } of asked) {
    const started = await SimulatedCharger.start(facts, clipped.facts, faults, port);
    hold(started.charger, clipped.name);
    ports.push(started.port);
  }
  if (bank) {
    const { clipped, ...facts } = bank;
    const started = await SimulatedBank.start(clipped.facts, facts);
    hold(started.bank, clipped.name);
    ports.push(started.relay, started.logger);
  }
  if (clippedTo) {
    const started = await SimulatedTester.start(clippedTo, clippedTo.speed);
    tester = started.tester;
    ports.push(started.port);
  }
  if (keptIn)
    setInterval(() => {
      channels.forEach((c, i) => states.set(names[i]!, c.module.state()));
      writeFileSync(`${keptIn}.new`, JSON.stringify([...states]));
      renameSync(`${keptIn}.new`, keptIn);
    }, KEEP_EVERY_MS);
  console.log(`LISTENING ${ports.join(' ')}`);
  process.send?.({ ports });
}
process.on('message', (m) => {
  const told = m as BenchTold;
  if (told.do === 'begin') void begin(told);
  else if (told.do === 'clip-tester') {
    tester?.clip(told.on);
    process.send?.({ tester: true });
  } else {
    clip(told.channel, told.clipped);
    process.send?.({ clipped: told.channel });
  }
});
process.on('disconnect', () => process.exit(0));
