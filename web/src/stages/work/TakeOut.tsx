import type { StockPart } from '@cellmend/contract/stock';
import { useState } from 'react';
import { ToggleButton } from 'react-aria-components';
import { useJobView } from '../../shell/jobContext';
import { useWrite } from '../../shell/useWrite';
import { FieldGroup } from '../../ui/Field';
import { Chips } from '../../ui/Chips';
import { Button, Stack } from '../../ui/parts';
import { FormEnd } from '../../ui/FormEnd';
import { FIRST_OUT, isTold, OutFields } from './OutFields';

/** Takes modules out of the pack: onto the shelf with their readings, or out of the workshop with proof. */
export function TakeOut({ only, onDone }: { only?: string; onDone: () => void }) {
  const { job, pack, selected } = useJobView();
  const onMap = selected === null ? [] : [pack.modules[selected]!.id];
  const [places, setPlaces] = useState<string[]>(only ? [only] : onMap);
  const [out, setOut] = useState<typeof FIRST_OUT>({ ...FIRST_OUT, to: only ? 'scrapped' : 'shelf' });
  const write = useWrite();
  const gone = new Set(job.removed.map((r) => r.place));
  const there = pack.modules.filter((m) => !gone.has(m.id) || job.composition.some((c) => c.place === m.id));
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
      <OutFields out={out} onChange={setOut} />
      <FormEnd problems={[write.problem]} onNotNow={onDone}>
        <Button isDisabled={write.busy || places.length === 0 || !isTold(out)} onPress={() => void take()}>
          {places.length === 1 ? `${places[0]} is out` : `${places.length} modules are out`}
        </Button>
      </FormEnd>
    </Stack>
  );
}
