import type { InsulationReport } from '@cellmend/core/insulation';
import { useDraft, useNewest } from '../../shell/useDraft';
import { useJobView } from '../../shell/jobContext';
import { Field, Input } from '../../ui/Field';
import { Button, DataTable, Mute, ProblemNote, Row, Stack } from '../../ui/parts';
import { SectionPick } from '../insulation/SectionPick';
import { useAdd } from '../insulation/useAdd';
import { figure, waysInWords } from '../insulation/view';

/** Mud outside on the case, bay by bay, beside what was seen of the modules behind it. */
export function OutsideMud({ outside }: { outside: InsulationReport['outside'] }) {
  const { job, pack, person } = useJobView();
  const order = pack.modules.map((m) => m.id);
  const empty = { from: order[0]!, to: order[0]!, mm: '' };
  const [draft, setDraft] = useDraft(`${job.number}.mud`, empty);
  const newest = useNewest(draft);
  const { add, busy, problem } = useAdd();
  const ends = [draft.from, draft.to].map((id) => order.indexOf(id)).sort((a, b) => a - b);
  const modules = order.slice(ends[0], ends[1]! + 1);
  const mudMm = figure(draft.mm);
  const record = async (): Promise<void> => {
    if (mudMm === null || !(await add({ observation: { kind: 'outside', modules, mudMm } }))) return;
    if (newest.current === draft) setDraft(empty);
  };
  return (
    <Stack>
      <h2>How thick is the mud outside?</h2>
      <Row style={{ alignItems: 'end' }}>
        <SectionPick
          order={order}
          from={draft.from}
          to={draft.to}
          onChange={(change) => setDraft({ ...draft, ...change })}
        />
        <Field style={{ flex: '0 1 150px' }}>
          Mud, mm
          <Input
            inputMode="decimal"
            placeholder="0 is clean"
            value={draft.mm}
            onChange={(e) => setDraft({ ...draft, mm: e.target.value })}
          />
        </Field>
        <Button
          isDisabled={busy || !person.mayWrite || mudMm === null || mudMm < 0}
          onPress={() => void record()}
        >
          {mudMm === null ? 'Say how thick' : `Record ${waysInWords(modules)}: ${mudMm} mm`}
        </Button>
      </Row>
      {problem && <ProblemNote what={problem.what} accepted={problem.accepted} />}
      {outside ? (
        <>
          {outside.says && (
            <p>
              <b>{outside.says}</b>
            </p>
          )}
          <DataTable>
            <thead>
              <tr>
                <th>Bays</th>
                <th className="r">Mud outside</th>
                <th>Inside</th>
              </tr>
            </thead>
            <tbody>
              {runsOf(outside.bays).map((run) => (
                <tr key={run.modules[0]}>
                  <td>
                    <b>{waysInWords(run.modules)}</b>
                  </td>
                  <td className="r">{run.mudMm} mm</td>
                  <td>{run.wet === null ? <Mute>not looked at</Mute> : run.wet ? 'wet' : 'dry'}</td>
                </tr>
              ))}
            </tbody>
          </DataTable>
        </>
      ) : (
        <Mute>
          Bay by bay along the case. Mud holds water against a seal: it is weighed with the ways in.
        </Mute>
      )}
    </Stack>
  );
}

type Bay = NonNullable<InsulationReport['outside']>['bays'][number];
/** Neighbours alike in one line. */
function runsOf(bays: readonly Bay[]): (Omit<Bay, 'module'> & { modules: string[] })[] {
  const runs: (Omit<Bay, 'module'> & { modules: string[] })[] = [];
  for (const { module, mudMm, wet } of bays) {
    const last = runs.at(-1);
    if (last?.mudMm === mudMm && last.wet === wet) last.modules.push(module);
    else runs.push({ mudMm, wet, modules: [module] });
  }
  return runs;
}
