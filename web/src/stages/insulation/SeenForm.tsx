import {
  CAUSE_ADVICE,
  EVIDENCE_NAMES,
  type Evidence,
  type InsulationReport,
} from '@cellmend/core/insulation';
import { useState } from 'react';
import { ToggleButton } from 'react-aria-components';
import { useJobView } from '../../shell/jobContext';
import { Select, Field } from '../../ui/Field';
import { Chips } from '../../ui/Chips';
import { Button, DataTable, Mute, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { percent } from '../../ui/words';
import { useAdd } from './useAdd';

/** What is seen at a place: it moves the search, ranks the causes, and may say where it came in. */
export function SeenForm({ leak }: { leak: InsulationReport | null }) {
  const { pack, selected, person } = useJobView();
  const [module, setModule] = useState('');
  const [evidence, setEvidence] = useState<Evidence>('green residue');
  const { add, busy, problem } = useAdd();
  const place = module || (selected !== null ? pack.modules[selected]!.id : pack.modules[0]!.id);
  return (
    <Sheet>
      <Stack>
        <h2>What is seen, and where?</h2>
        <Chips
          selectionMode="single"
          disallowEmptySelection
          selectedKeys={[evidence]}
          onSelectionChange={(k) => setEvidence([...k][0] as Evidence)}
          aria-label="What is seen"
        >
          {EVIDENCE_NAMES.map((e) => (
            <ToggleButton key={e} id={e}>
              {e}
            </ToggleButton>
          ))}
        </Chips>
        <Row>
          <Field style={{ flexDirection: 'row', alignItems: 'center', gap: 10 }}>
            At
            <Select
              aria-label="Module"
              value={place}
              onChange={(e) => setModule(e.target.value)}
              style={{ width: 110 }}
            >
              {pack.modules.map((m) => (
                <option key={m.id}>{m.id}</option>
              ))}
            </Select>
          </Field>
          <Button
            isDisabled={busy || !person.mayWrite}
            onPress={() => void add({ observation: { kind: 'seen', module: place, evidence } })}
          >
            Record {evidence} at {place}
          </Button>
        </Row>
        {problem && <ProblemNote what={problem.what} accepted={problem.accepted} />}
        {leak && leak.causes.length > 0 ? (
          <>
            {leak.entry && (
              <p>
                <b>{leak.entry}</b>
              </p>
            )}
            <DataTable>
              <thead>
                <tr>
                  <th>Cause</th>
                  <th className="r">Share</th>
                  <th>Because of</th>
                  <th>So that it does not come back</th>
                </tr>
              </thead>
              <tbody>
                {leak.causes.map((c) => (
                  <tr key={c.cause}>
                    <td>
                      <b>{c.cause}</b>
                    </td>
                    <td className="r">{percent(c.share)}</td>
                    <td>{c.because.join(', ')}</td>
                    <td>
                      <Mute>{CAUSE_ADVICE[c.cause]}</Mute>
                    </td>
                  </tr>
                ))}
              </tbody>
            </DataTable>
          </>
        ) : (
          <Mute>
            Residue, rust, bent plates, rubbed wires: each points at causes. Clean and dry places count as
            well.
          </Mute>
        )}
      </Stack>
    </Sheet>
  );
}
