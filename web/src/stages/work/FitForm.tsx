import { useState } from 'react';
import { decisionOf, useStock } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { useWrite } from '../../shell/useWrite';
import { Select, Field } from '../../ui/Field';
import { Button, LinkButton, Mute, ProblemNote, Row, Stack } from '../../ui/parts';
import { FIRST_OUT, isTold, OutFields } from './OutFields';

/** Puts a part in at a place and says where the one that stood there goes. */
export function FitForm({ place, onDone }: { place: string; onDone: () => void }) {
  const { job, pack } = useJobView();
  const { data: stock } = useStock();
  const chosen = decisionOf(job, 'match')?.body.choices.find((c) => c.place === place)?.partId;
  const isModule = pack.modules.some((m) => m.id === place);
  const fits = (stock ?? []).filter(
    (s) =>
      (s.kind === 'module') === isModule &&
      s.place.kind !== 'quarantine' &&
      (s.reserved === null || s.reserved.job === job.number),
  );
  const [picked, setPicked] = useState<string | null>(null);
  // What was signed under Match is offered; nothing else is, unasked.
  const partId = picked ?? (fits.some((s) => s.id === chosen) ? chosen : undefined);
  const [out, setOut] = useState(FIRST_OUT);
  const write = useWrite();
  const fit = async (): Promise<void> => {
    if (await write.run('/fit', { place, partId, out })) onDone();
  };
  if (stock && fits.length === 0)
    return (
      <Row>
        <Mute>Nothing in stock belongs there. Take the new part in first.</Mute>
        <LinkButton $quiet to="/stock">
          Stock
        </LinkButton>
      </Row>
    );
  return (
    <Stack>
      <Row>
        <Field style={{ flex: '1 1 240px' }}>
          Goes in at {place}
          <Select value={partId ?? ''} onChange={(e) => setPicked(e.target.value)}>
            {partId === undefined && <option value="">Pick the part</option>}
            {fits.map((s) => (
              <option key={s.id} value={s.id}>
                {s.label}
                {s.id === chosen ? ', chosen' : ''}
              </option>
            ))}
          </Select>
        </Field>
      </Row>
      <Mute>What came out of {place}:</Mute>
      <OutFields out={out} onChange={setOut} />
      {write.problem && <ProblemNote what={write.problem.what} accepted={write.problem.accepted} />}
      <Row>
        <Button isDisabled={write.busy || !partId || !isTold(out)} onPress={() => void fit()}>
          It is in
        </Button>
      </Row>
    </Stack>
  );
}
