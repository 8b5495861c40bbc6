import type { ScanSummary } from '@cellmend/contract/jobs';
import { useState } from 'react';
import { useJobView } from '../../shell/jobContext';
import { useWrite } from '../../shell/useWrite';
import { FormEnd } from '../../ui/FormEnd';
import { Field, Input } from '../../ui/Field';
import { Button, Mute, Stack } from '../../ui/parts';
import { when } from '../../ui/words';

/** A moment as a date-and-time field holds it: the clock on the wall. */
const onTheWall = (at: Date): string =>
  new Date(at.getTime() - at.getTimezoneOffset() * 60_000).toISOString().slice(0, 16);

/** When a record was made: by its own clock, as somebody said it, or not known until somebody does. */
export function RecordedAt({ scan }: { scan: ScanSummary }) {
  const { person } = useJobView();
  const [open, setOpen] = useState(false);
  return (
    <>
      <Mute>
        {scan.startedAt === null ? 'When is not known' : when(scan.startedAt)}
        {scan.momentBy && `, says ${scan.momentBy}`}
      </Mute>
      {!open && person.mayWrite && (
        <Button
          quiet
          aria-label={
            scan.startedAt === null
              ? `Say when ${scan.name} was recorded`
              : `Correct when ${scan.name} was recorded`
          }
          onPress={() => setOpen(true)}
        >
          {scan.startedAt === null ? 'Say when' : 'Correct'}
        </Button>
      )}
      {open && <MomentForm scan={scan} onDone={() => setOpen(false)} />}
    </>
  );
}

function MomentForm({ scan, onDone }: { scan: ScanSummary; onDone: () => void }) {
  const write = useWrite();
  const [at, setAt] = useState(scan.startedAt === null ? '' : onTheWall(new Date(scan.startedAt)));
  const [reason, setReason] = useState('');
  const corrects = scan.startedAt !== null;
  return (
    <Stack $gap={8}>
      <Field>
        Recorded at
        <Input
          type="datetime-local"
          value={at}
          max={onTheWall(new Date())}
          onChange={(e) => setAt(e.target.value)}
        />
      </Field>
      {corrects && (
        <Field>
          Why it is another
          <Input value={reason} onChange={(e) => setReason(e.target.value)} />
        </Field>
      )}
      <FormEnd problems={[write.problem]} onNotNow={onDone}>
        <Button
          isDisabled={write.busy || at === '' || (corrects && reason.trim().length < 3)}
          onPress={() =>
            void write
              .run(`/scans/${scan.id}/moment`, { at: new Date(at).toISOString(), reason })
              .then((kept) => kept && onDone())
          }
        >
          {write.busy ? 'Weighing …' : 'It was then'}
        </Button>
      </FormEnd>
    </Stack>
  );
}
