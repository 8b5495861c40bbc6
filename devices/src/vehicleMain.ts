import { PackProfileSchema } from '@cellmend/contract/pack';
import { readFileSync } from 'node:fs';
import { parseArgs } from 'node:util';
import { demoVehiclePack } from './demoVehicle';
import { SimulatedVehicle, VEHICLE_DBC, vehicleDefinition } from './vehicle';

// npm run vehicle -- --pack demo/packs/corrie-pilot.json: a simulated vehicle on loopback, until Ctrl-C.
const { values } = parseArgs({
  options: {
    pack: { type: 'string', default: 'demo/packs/corrie-pilot.json' },
    port: { type: 'string', default: '29536' },
    speed: { type: 'string', default: '1' },
    code: { type: 'string', multiple: true, default: [] },
    definitions: { type: 'boolean', default: false },
  },
});
const profile = PackProfileSchema.parse(JSON.parse(readFileSync(values.pack, 'utf8')));
const sim = demoVehiclePack(profile);
if (values.definitions) {
  process.stdout.write(`${JSON.stringify(vehicleDefinition(sim, profile.name), null, 1)}\n\n${VEHICLE_DBC}`);
} else {
  const { vehicle, port } = await SimulatedVehicle.start(sim, {
    port: Number(values.port),
    speed: Number(values.speed),
    codes: values.code.map((code) => ({ code, status: 0x09 })),
  });
  console.log(`${profile.name}: socketcand on 127.0.0.1:${port}, bus can0. Ctrl-C ends it.`);
  process.on('SIGINT', () => void vehicle.stop().then(() => process.exit(0)));
  process.on('SIGTERM', () => void vehicle.stop().then(() => process.exit(0)));
}
