import type { SafetyView } from '@cellmend/contract/safety';
import { CORRECTABLE, type StepData, type StepId } from '@cellmend/core/safety';
import { useState } from 'react';
import styled from 'styled-components';
import { Input, Field } from '../../ui/Field';
import { Button, Mute, Row, Sheet, Stack } from '../../ui/parts';
import { upper, when } from '../../ui/words';

const Table = styled.table`
  width: 100%;
  border-collapse: collapse;
  td {
    padding: 7px 10px 7px 0;
    border-top: 1px solid var(--line);
    vertical-align: top;
    font-size: var(--t-s);
  }
  tr:first-child td {
    border-top: 0;
  }
  tr[data-old] td {
    color: var(--mute);
    text-decoration: line-through;
  }
  td:last-child {
    text-align: right;
    white-space: nowrap;
  }
`;
const NAMES: Record<string, string> = {
  begin: 'Lock-out begun',
  close: 'Lock-out closed',
  look: 'Seen from a distance',
  'crash-inspection': 'Seen from a distance',
  quarantine: 'Where it stands',
  hazards: 'Hazards read',
  gloves: 'Gloves',
  barrier: 'Barrier, who knows',
  'low-voltage': 'Key away, 12 V off',
  disconnect: 'Service disconnect out',
  'live-dead-live': 'Proof',
  'second-person': 'Second signature',
  'pyro-evidence': 'Pyro fuse',
  'insulation-evidence': 'Insulation',
  'group-voltages': 'Lowest group',
  watch: 'Thermal watch begun',
  'watch-end': 'Thermal watch ended',
};

/** Everything entered at this gate, read back; what is evidence can be corrected, with a reason, by a new entry. */
export function EvidenceList({
  view,
  may,
  busy,
  onCorrect,
}: {
  view: SafetyView;
  may: boolean;
  busy: boolean;
  onCorrect: (data: StepData, corrects: { supersedes: string; reason: string }) => Promise<boolean>;
}) {
  const [editing, setEditing] = useState<string | null>(null);
  const [text, setText] = useState('');
  const [reason, setReason] = useState('');
  const entryOf = (id: string): StepData | undefined => view.entries.find((e) => e.id === id);
  return (
    <Sheet>
      <Stack $gap={6}>
        <h3>Evidence and steps</h3>
        <Table>
          <tbody>
            {[...view.evidence].reverse().map((e) => (
              <tr key={e.id} data-old={e.supersededBy ? '' : undefined}>
                <td>
                  <b>{NAMES[e.kind] ?? upper(e.kind)}</b>
                </td>
                <td>
                  {e.says}
                  {e.reason && <Mute> Corrected: {e.reason}</Mute>}
                  {editing === e.id && (
                    <form
                      onSubmit={(event) => {
                        event.preventDefault();
                        const old = entryOf(e.id);
                        if (!old) return;
                        void onCorrect(corrected(old, text), { supersedes: e.id, reason }).then(
                          (ok) => ok && setEditing(null),
                        );
                      }}
                    >
                      <Stack $gap={8}>
                        <Field>
                          What is right
                          <Input
                            value={text}
                            maxLength={500}
                            onChange={(event) => setText(event.target.value)}
                          />
                        </Field>
                        <Field>
                          Why it is corrected
                          <Input
                            value={reason}
                            maxLength={500}
                            onChange={(event) => setReason(event.target.value)}
                          />
                        </Field>
                        <Row $gap={8}>
                          <Button
                            type="submit"
                            isDisabled={busy || text.trim() === '' || reason.trim() === ''}
                          >
                            Correct it
                          </Button>
                          <Button quiet onPress={() => setEditing(null)}>
                            Leave it
                          </Button>
                        </Row>
                      </Stack>
                    </form>
                  )}
                </td>
                <td>
                  <Mute>
                    {e.by}, {when(e.at)}
                  </Mute>
                  {may && CORRECTABLE.has(e.kind as StepId) && entryOf(e.id) && editing !== e.id && (
                    <div>
                      <Button
                        quiet
                        onPress={() => {
                          setEditing(e.id);
                          setText(textOf(entryOf(e.id)!));
                          setReason('');
                        }}
                      >
                        Correct
                      </Button>
                    </div>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Stack>
    </Sheet>
  );
}

/** The part of an entry that is written in words or as one figure. */
function textOf(d: StepData): string {
  switch (d.step) {
    case 'barrier':
      return d.secondPerson;
    case 'quarantine':
      return d.place;
    case 'group-voltages':
      return d.lowestV === null ? d.text : String(d.lowestV);
    case 'pyro-evidence':
    case 'insulation-evidence':
      return d.ohm === null ? d.text : String(d.ohm);
    case 'look':
      return d.text;
    default:
      return '';
  }
}

function corrected(d: StepData, text: string): StepData {
  const figure = Number(text.trim().replace(',', '.'));
  const isFigure = text.trim() !== '' && Number.isFinite(figure);
  switch (d.step) {
    case 'barrier':
      return { ...d, secondPerson: text };
    case 'quarantine':
      return { ...d, place: text };
    case 'group-voltages':
      return isFigure ? { ...d, lowestV: figure } : { ...d, lowestV: null, text };
    case 'pyro-evidence':
    case 'insulation-evidence':
      return isFigure ? { ...d, ohm: figure } : { ...d, ohm: null, text };
    case 'look':
      return { ...d, text };
    default:
      return d;
  }
}
