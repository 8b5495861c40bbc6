import { STOP_ADVICE, STOP_KINDS, type StopKind } from '@cellmend/core/safety';
import { useState } from 'react';
import { Dialog, ToggleButton } from 'react-aria-components';
import { useNavigate } from 'react-router';
import { useWorkshop } from '../api/hooks';
import { enqueue } from '../api/queue';
import { Input, Field } from '../ui/Field';
import { Chips } from '../ui/Chips';
import { Button, Row, Stack } from '../ui/parts';
import { DialogBox, Overlay } from '../ui/dialog';
import { useJobView } from './jobContext';

/** One key away, from everywhere in a job: what to do first stands there before anything is typed. */
export function StopDialog({ onClose }: { onClose: () => void }) {
  const { job, pack, selected } = useJobView();
  const { data: settings } = useWorkshop();
  const [kind, setKind] = useState<StopKind>('hot');
  const [note, setNote] = useState('');
  const [busy, setBusy] = useState(false);
  const navigate = useNavigate();
  const place = selected === null ? '' : pack.modules[selected]!.id;
  const stop = async (): Promise<void> => {
    setBusy(true);
    // Kept on this tablet first: it reaches the server as soon as there is one, before anything else that waits.
    await enqueue({
      path: `/jobs/${job.number}/stops`,
      body: { kind, place, note },
      label: `STOP: ${kind}${place ? ` at ${place}` : ''}`,
      jobNumber: job.number,
    });
    onClose();
    void navigate(`/jobs/${job.number}/make-safe`);
  };
  return (
    <Overlay isOpen onOpenChange={(open) => !open && onClose()} isDismissable={false}>
      <DialogBox>
        <Dialog aria-label="Stop">
          <Stack>
            <h2>Stop: what is it?</h2>
            <Chips
              selectionMode="single"
              disallowEmptySelection
              selectedKeys={[kind]}
              onSelectionChange={(k) => setKind([...k][0] as StopKind)}
              aria-label="What is it"
            >
              {STOP_KINDS.map((k) => (
                <ToggleButton key={k} id={k}>
                  {k}
                </ToggleButton>
              ))}
            </Chips>
            <ol style={{ margin: 0, paddingLeft: 20, fontSize: 17 }}>
              {STOP_ADVICE[kind].first.map((f) => (
                <li key={f}>{f}</li>
              ))}
            </ol>
            <p>
              <b>Call:</b> {settings?.callWhom || 'the fire service, and the shop’s lead.'}
            </p>
            <Field>
              Note{place && `, at ${place}`}
              <Input value={note} maxLength={500} onChange={(e) => setNote(e.target.value)} />
            </Field>
            <Row>
              <Button isDisabled={busy} onPress={() => void stop()}>
                Stop the work, close the gate
              </Button>
              <Button quiet onPress={onClose}>
                Back
              </Button>
            </Row>
          </Stack>
        </Dialog>
      </DialogBox>
    </Overlay>
  );
}
