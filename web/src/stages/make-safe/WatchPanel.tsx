import type { SafetyView } from '@cellmend/contract/safety';
import { useState } from 'react';
import { useJobView } from '../../shell/jobContext';
import { useWrite } from '../../shell/useWrite';
import { Input, Field } from '../../ui/Field';
import { Button, Mute, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { when } from '../../ui/words';
import { LogTemperature } from './LogTemperature';

/** The thermal watch that came with the hazards: what it asks, the next temperature, and how it ends. */
export function WatchPanel({
  watch,
  onDone,
}: {
  watch: NonNullable<SafetyView['watch']>;
  onDone: () => void;
}) {
  const { person } = useJobView();
  const write = useWrite();
  const [reason, setReason] = useState('');
  const lead = person.role === 'lead';
  return (
    <Sheet aria-label="Thermal watch">
      <Stack>
        <h2>
          Thermal watch: a temperature every {watch.everyMin} min for at least {watch.leastHours} h
        </h2>
        <p>
          Since {when(watch.since)}, because {watch.why}. The fire service’s and the maker’s rules win.
        </p>
        <LogTemperature everyMin={watch.everyMin} />
        {person.maySignHv && (watch.mayEnd || lead) && (
          <Row>
            {!watch.mayEnd && (
              <Field style={{ flex: 1 }}>
                {watch.whyNot} A lead may end it all the same, and writes why
                <Input value={reason} maxLength={500} onChange={(e) => setReason(e.target.value)} />
              </Field>
            )}
            <Button
              quiet
              style={{ alignSelf: 'end' }}
              isDisabled={write.busy || (!watch.mayEnd && reason.trim().length < 3)}
              onPress={() =>
                void write.run('/safety/watch/end', { reason }).then((ok) => ok !== null && onDone())
              }
            >
              End the watch
            </Button>
          </Row>
        )}
        {!watch.mayEnd && !lead && <Mute>{watch.whyNot}</Mute>}
        {write.problem && <ProblemNote what={write.problem.what} accepted={write.problem.accepted} />}
      </Stack>
    </Sheet>
  );
}
