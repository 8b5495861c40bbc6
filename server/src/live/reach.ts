import type { StartLiveSchema } from '@cellmend/contract/scans';
import type { SignalDefinition } from '@cellmend/core/can';
import type { PackProfile } from '@cellmend/core/pack';
import { demoVehiclePack } from '@cellmend/devices/demoVehicle';
import { SocketcandClient } from '@cellmend/devices/socketcand';
import { SimulatedVehicle, vehicleDefinition } from '@cellmend/devices/vehicle';
import type { z } from 'zod';
import { Refusal, notFound } from '../domain/refusal';
import type { Store } from '../domain/store';
import { readingHelp } from '../scans/help';

/** Gateways outside this machine have to be named by whoever runs the server. */
function mayConnect(host: string): boolean {
  const allowed = (process.env.CELLMEND_GATEWAYS ?? '').split(/[\s,]+/).filter(Boolean);
  return ['127.0.0.1', 'localhost', '::1', ...allowed].includes(host);
}

/** A gateway with the definitions that its vehicle is asked by; the demo's own vehicle is started for it. */
export async function reach(
  store: Store,
  source: z.output<typeof StartLiveSchema>['source'],
  profile: PackProfile,
  demo: boolean,
  speed: number,
): Promise<{
  client: SocketcandClient;
  definition: SignalDefinition & { kind: 'uds' };
  address: { host: string; port: number; bus: string };
  vehicle: SimulatedVehicle | null;
}> {
  let vehicle: SimulatedVehicle | null = null;
  let address: { host: string; port: number; bus: string };
  let definition: SignalDefinition & { kind: 'uds' };
  if (source.kind === 'demo') {
    if (!demo) throw notFound('The demo vehicle');
    const sim = demoVehiclePack(profile);
    const started = await SimulatedVehicle.start(sim, {
      speed,
      codes: [{ code: 'P0A80-00', status: 0x09 }],
      ...(profile.preChargeOhm && profile.busCapacitanceF
        ? {
            preCharge: {
              ohm: profile.preChargeOhm,
              farad: profile.busCapacitanceF,
              mainAfterS: 5 * profile.preChargeOhm * profile.busCapacitanceF,
            },
          }
        : {}),
    });
    vehicle = started.vehicle;
    address = { host: '127.0.0.1', port: started.port, bus: 'can0' };
    const file = vehicleDefinition(sim, 'Demo vehicle');
    definition = { kind: 'uds', name: file.name, file };
  } else {
    if (!mayConnect(source.host))
      throw new Refusal('notAllowed', 'Not allowed', `${source.host} is not a gateway of this workshop.`, {
        accepted: '127.0.0.1, or a host named in CELLMEND_GATEWAYS when the server is started.',
      });
    address = source;
    const row = await store.models.Definition.findByPk(source.definitionId);
    const help = await readingHelp(store);
    const found = help.definitions.find((d) => d.name === row?.name);
    if (!found) throw notFound('That definition');
    if (found.kind !== 'uds')
      throw new Refusal(
        'unacceptable',
        'Cannot be accepted',
        'A live scan asks by diagnostic field definitions.',
        {
          fields: [{ field: 'definitionId', message: 'A definition file in JSON, not a DBC file.' }],
        },
      );
    definition = found;
  }
  let client: SocketcandClient;
  try {
    client = await SocketcandClient.open(address.host, address.port, address.bus);
  } catch (e) {
    await vehicle?.stop();
    throw e;
  }
  return { client, definition, address, vehicle };
}
