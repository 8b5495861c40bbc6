import {
  CAUSE_ADVICE,
  DEGREE_NAMES,
  ENTRY_ADVICE,
  EVIDENCE_NAMES,
  type Degree,
  type Evidence,
  type InsulationReport,
} from '@cellmend/core/insulation';
import { waysWith } from '@cellmend/core/learn';
import { useState } from 'react';
import { ToggleButton } from 'react-aria-components';
import { useMemoryHere } from '../../learn/WasItSo';
import { useJobView } from '../../shell/jobContext';
import { Select, Field } from '../../ui/Field';
import { Chips } from '../../ui/Chips';
import { Button, DataTable, Mute, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { percent } from '../../ui/words';
import { useAdd } from '../insulation/useAdd';
import { OutsideMud } from './OutsideMud';
import { WaysSeen } from './WaysSeen';

/** What is seen at a place: it moves the search, ranks the causes, and may say where it came in. */
export function SeenForm({ leak }: { leak: InsulationReport | null }) {
  const { pack, selected, person } = useJobView();
  const [module, setModule] = useState('');
  const [evidence, setEvidence] = useState<Evidence | null>(null);
  const [degree, setDegree] = useState<Degree>('clear');
  const { add, busy, problem } = useAdd();
  const record = async () => {
    if (evidence === null) return;
    // Chosen anew for each place: the next press does not tell of what nobody saw.
    if (await add({ observation: { kind: 'seen', module: place, evidence, degree } })) setEvidence(null);
  };
  const place = module || (selected !== null ? pack.modules[selected]!.id : pack.modules[0]!.id);
  return (
    <>
      <Sheet>
        <Stack>
          <h2>What is seen, and where?</h2>
          <Chips
            selectionMode="single"
            selectedKeys={evidence ? [evidence] : []}
            onSelectionChange={(k) => setEvidence(([...k][0] as Evidence | undefined) ?? null)}
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
              At module
              <Select value={place} onChange={(e) => setModule(e.target.value)} style={{ width: 110 }}>
                {pack.modules.map((m) => (
                  <option key={m.id}>{m.id}</option>
                ))}
              </Select>
            </Field>
            <Chips
              selectionMode="single"
              disallowEmptySelection
              selectedKeys={[degree]}
              onSelectionChange={(k) => setDegree([...k][0] as Degree)}
              aria-label="How much"
            >
              {DEGREE_NAMES.map((d) => (
                <ToggleButton key={d} id={d}>
                  {d}
                </ToggleButton>
              ))}
            </Chips>
            <Button isDisabled={busy || !person.mayWrite || evidence === null} onPress={() => void record()}>
              {evidence === null
                ? 'Choose what is seen'
                : `Record ${degree === 'clear' ? '' : `${degree} `}${evidence} at ${place}`}
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
      <Sheet>
        <Stack>
          <WaysSeen />
          {leak?.ways && <Ways ways={leak.ways} />}
        </Stack>
      </Sheet>
      <Sheet>
        <OutsideMud outside={leak?.outside} />
      </Sheet>
    </>
  );
}

/** Ways in that are told one by one. */
const SHOWN = 4;

/** Where it came in, among the ways that the profile knows and those that were seen. */
export function Ways({ ways }: { ways: NonNullable<InsulationReport['ways']> | null }) {
  const { job } = useJobView();
  const { data } = useMemoryHere(job.number);
  if (!ways || ways.rows.length === 0) return null;
  const remembered = data?.on && data.model && Object.keys(data.model.ways).length > 0 ? data.model : null;
  const withMemory = waysWith(
    ways.rows.map((r) => r.share),
    ways.rows.map((r) => data?.wayWeights[r.entry.id] ?? 0),
  );
  return (
    <DataTable>
      <thead>
        <tr>
          <th>Way in</th>
          <th className="r">Share</th>
          {remembered && <th className="r">With memory</th>}
          <th>Because</th>
          <th>What would settle it, and keeps it out</th>
        </tr>
      </thead>
      <tbody>
        {ways.rows.slice(0, SHOWN).map(({ entry, share, because }, i) => (
          <tr key={entry.id}>
            <td>
              <b>
                {ENTRY_ADVICE[entry.kind].name} {entry.id}
              </b>
            </td>
            <td className="r">{percent(share)}</td>
            {remembered && (
              <td className="r">
                {percent(withMemory[i]!)}
                {remembered.ways[entry.id] !== undefined && (
                  <>
                    <br />
                    <Mute>
                      {remembered.ways[entry.id]} of {remembered.jobs} such packs
                    </Mute>
                  </>
                )}
              </td>
            )}
            <td>{because.join('; ')}</td>
            <td>
              <Mute>
                {ENTRY_ADVICE[entry.kind].check} {ENTRY_ADVICE[entry.kind].prevent}
              </Mute>
            </td>
          </tr>
        ))}
        {ways.rows.length > SHOWN && (
          <tr>
            <td>{ways.rows.length - SHOWN} more ways</td>
            <td className="r">{percent(ways.rows.slice(SHOWN).reduce((s, r) => s + r.share, 0))}</td>
            {remembered && (
              <td className="r">{percent(withMemory.slice(SHOWN).reduce((s, share) => s + share, 0))}</td>
            )}
            <td />
            <td />
          </tr>
        )}
        <tr>
          <td>elsewhere</td>
          <td className="r">{percent(ways.elsewhere)}</td>
          {remembered && <td className="r">{percent(ways.elsewhere)}</td>}
          <td />
          <td />
        </tr>
      </tbody>
    </DataTable>
  );
}
