import { describe, expect, it } from 'vitest';
import { normalisePack, type PackProfile } from '@cellmend/core/pack';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { clipOf, type ClipDraft } from './clip';

const file = join(import.meta.dirname, '../../../../demo/packs/corrie-pilot.json');
const pack = normalisePack(JSON.parse(readFileSync(file, 'utf8')) as PackProfile);
const disconnect = pack.profile.links!.find((l) => l.kind === 'service-disconnect')!;
const [below, above] = disconnect.between;
const [first, last] = [pack.stringOrder[0]!, pack.stringOrder.at(-1)!].map((m) => pack.modules[m]!.id);
const draft: ClipDraft = {
  part: 'pack',
  from: first!,
  to: last!,
  module: below,
  piece: '',
  which: 'heater',
  terminals: null,
};

describe('what is clipped', () => {
  it('asks which pole where a link is out between them, and says what that pole reaches', () => {
    const unsaid = clipOf(pack, draft, [disconnect.id]);
    expect(unsaid).toMatchObject({ asksPole: true, pull: [], open: [disconnect.id] });
    expect(unsaid.says).toBe(`From one pole it reaches one side alone: ${disconnect.id} is out.`);
    expect(clipOf(pack, { ...draft, terminals: 'negative' }, [disconnect.id]).says).toBe(
      `Reaches ${first} to ${below}, not ${above} to ${last}: ${disconnect.id} is out.`,
    );
    expect(clipOf(pack, { ...draft, terminals: 'both' }, [disconnect.id]).says).toBe(
      `Reaches ${first} to ${last}.`,
    );
  });
  it('asks no pole of a string that hangs together', () => {
    expect(clipOf(pack, draft, [])).toMatchObject({ asksPole: false, says: `Reaches ${first} to ${last}.` });
  });
  it('names the links at the ends of a part that are still to be pulled', () => {
    const half = clipOf(pack, { ...draft, part: 'section', to: below }, []);
    expect(half).toMatchObject({ pull: [disconnect.id], asksPole: false });
    expect(half.says).toBe(`Reaches ${first} to ${below}, not ${above} to ${last}.`);
    expect(clipOf(pack, { ...draft, part: 'except' }, []).pull).toHaveLength(2);
  });
  it('reaches no module from a part that is none', () => {
    expect(clipOf(pack, { ...draft, part: 'other' }, [])).toMatchObject({
      tested: { part: 'other', which: 'heater' },
      says: '',
      pull: [],
    });
  });

  it('a piece of a module reaches that module alone, asks for no pole and pulls no link', () => {
    const clip = clipOf(pack, { ...draft, part: 'inside', piece: ' half A ' }, []);
    expect(clip).toMatchObject({ asksPole: false, pull: [], tested: { part: 'inside', piece: 'half A' } });
    expect(clip.reach.certain).toHaveLength(1);
  });
});
