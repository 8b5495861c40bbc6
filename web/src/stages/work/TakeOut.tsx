import type { StockPart } from '@cellmend/contract/stock';
import { useState } from 'react';
import { ToggleButton } from 'react-aria-components';
import { awayFactsOf, notForTheShelf } from '@cellmend/core/handover';
import { offNow } from '@cellmend/core/stripdown';
import { useJobView } from '../../shell/jobContext';
import { useWrite } from '../../shell/useWrite';
import { FieldGroup } from '../../ui/Field';
import { Chips } from '../../ui/Chips';
import { Button, Mute, ProblemNote, Stack } from '../../ui/parts';
import { useTicks } from '../strip-down/usePlan';
import { useKnownOfModules } from '../useKnownOfModules';
import { FormEnd } from '../../ui/FormEnd';
import { FIRST_OUT, isTold, OutFields } from './OutFields';

/** Takes modules out of the pack: onto the shelf with their readings, or out of the workshop with proof. */
export function TakeOut({ only, onDone }: { only?: string; onDone: () => void }) {
  const { job, pack, selected } = useJobView();
  const { ticks } = useTicks();
  const known = useKnownOfModules();
  const gone = new Set(job.removed.map((r) => r.place));
  const there = pack.modules.filter((m) => !gone.has(m.id) || job.composition.some((c) => c.place === m.id));
  // What the steps took out, or what is picked on the map.
  const off = offNow(ticks).filter((id) => there.some((m) => m.id === id));
  const onMap = selected === null ? [] : [pack.modules[selected]!.id];
  const [picked, setPlaces] = useState<string[] | null>(null);
  const places = picked ?? (only ? [only] : off.length > 0 ? off : onMap);
  const facts = places.map((place) => {
    const since = job.composition.find((c) => c.place === place)?.at ?? null;
    return { place, known: known && awayFactsOf(known, { place, since, quarantined: false }) };
  });
  const harm = facts.flatMap(({ place, known: f }) => {
    const why = f && notForTheShelf(f);
    return why ? [`${place}: ${why}`] : [];
  });
  // Onto the shelf goes by itself only what was measured and is sound.
  const sound = harm.length === 0 && facts.every(({ known: f }) => f?.measuredHarmless === true);
  const [told, setOut] = useState<typeof FIRST_OUT | null>(null);
  const proposed: typeof FIRST_OUT = {
    ...FIRST_OUT,
    to: only ? 'scrapped' : sound ? 'shelf' : 'quarantine',
  };
  const out = told ?? proposed;
  const notTicked = off.length > 0 || ticks.length > 0 ? places.filter((p) => !off.includes(p)) : places;
  const write = useWrite();
  const take = async (): Promise<void> => {
    if (await write.run<StockPart[]>('/salvage', { places, ...out })) onDone();
  };
  return (
    <Stack>
      {!only && (
        <FieldGroup>
          Which come out
          <Chips
            selectionMode="multiple"
            selectedKeys={places}
            onSelectionChange={(k) => setPlaces([...k].map(String))}
            aria-label="Modules that come out"
          >
            {there.map((m) => (
              <ToggleButton key={m.id} id={m.id}>
                {m.id}
              </ToggleButton>
            ))}
          </Chips>
        </FieldGroup>
      )}
      {notTicked.length > 0 && (
        <Mute>
          No step of Strip down says that {notTicked.slice(0, 4).join(', ')}
          {notTicked.length > 4 ? ` and ${notTicked.length - 4} more` : ''} came out. Is it out?
        </Mute>
      )}
      {harm.length > 0 && (
        <ProblemNote what={`${harm.join('. ')}.`} accepted="Quarantine, or out with proof." />
      )}
      <OutFields out={out} onChange={setOut} />
      <FormEnd problems={[write.problem]} onNotNow={onDone}>
        <Button isDisabled={write.busy || places.length === 0 || !isTold(out)} onPress={() => void take()}>
          {places.length === 1 ? `${places[0]} is out` : `${places.length} modules are out`}
        </Button>
      </FormEnd>
    </Stack>
  );
}
