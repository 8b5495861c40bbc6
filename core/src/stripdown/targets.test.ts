import { expect, it } from 'vitest';
import { pilotCar } from '../../../cli/src/demoPacks';
import { normalisePack } from '../pack';
import type { Measure } from '../route';
import { planStripdown } from './plan';
import { targetsOf } from './targets';

const pack = normalisePack(pilotCar());
const moduleV = pack.modules.map(() => 29);
const line = (kind: Measure['kind'], place: string, more: Partial<Measure> = {}) => ({
  kind,
  place,
  dropped: '',
  closed: false,
  ...more,
});
const joint = pack.profile.links!.find((l) => l.kind !== 'service-disconnect')!;

it('every line of a list is reached: modules, a joint alone, the plug of a board, the lid for what has no part', () => {
  const [a, b] = [pack.modules[2]!.id, pack.modules[4]!.id];
  const targets = targetsOf(
    [
      line('replace-module', a),
      line('condition', b),
      line('mend-joint', joint.id),
      line('replace-board', 'a board'),
      line('seal', 'a valve'),
    ],
    pack,
  );
  expect(targets).toEqual([a, b, joint.id, 'sense-plug', 'lid']);
  const plan = planStripdown(pack, { targets, moduleV, ticks: [] });
  expect(
    plan.steps
      .filter((s) => s.target)
      .map((s) => s.id)
      .sort(),
  ).toEqual([...targets].sort());
});

it('a joint takes no module out, and takes few steps', () => {
  const plan = planStripdown(pack, {
    targets: targetsOf([line('mend-joint', joint.id)], pack),
    moduleV,
    ticks: [],
  });
  expect(plan.steps.filter((s) => s.kind === 'module')).toEqual([]);
  expect(plan.steps.at(-1)!.id).toBe(joint.id);
});

it('a module that is named for its joint stands for the joints at its ends', () => {
  const module = joint.between[0];
  expect(targetsOf([line('mend-joint', module)], pack)).toEqual(
    pack.profile.links!.filter((l) => l.between.includes(module)).map((l) => l.id),
  );
});

it('what is dropped, done closed or done to the pack as a whole asks for nothing', () => {
  expect(
    targetsOf(
      [
        line('replace-module', pack.modules[0]!.id, { dropped: 'owner waits' }),
        line('balance', pack.modules[1]!.id, { closed: true }),
        line('monitor', ''),
        line('decline', ''),
      ],
      pack,
    ),
  ).toEqual([]);
});
