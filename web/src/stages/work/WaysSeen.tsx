import {
  ENTRY_ADVICE,
  WAY_KINDS,
  WAY_PARTS,
  WAY_STATES,
  waysNow,
  waysTyped,
  worksOn,
  type WayKind,
  type WayNow,
  type WayPart,
  type WayState,
} from '@cellmend/core/insulation';
import { useState } from 'react';
import { ToggleButton } from 'react-aria-components';
import { useInsulation } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { useDraft, useNewest } from '../../shell/useDraft';
import { Chips } from '../../ui/Chips';
import { Field, Input, Select } from '../../ui/Field';
import { Button, DataTable, Mute, ProblemNote, Row, Stack } from '../../ui/parts';
import { upper } from '../../ui/words';
import { useAdd } from '../insulation/useAdd';
import { waysInWords } from '../insulation/view';

const EMPTY = { of: 'valve' as WayKind, which: '', part: 'as it was' as WayPart, revision: '' };

/** Valves, bolts, seams, connectors that water may have come in by: one by one, or eighty-four of them together. */
export function WaysSeen() {
  const { job, person, pack } = useJobView();
  const { data } = useInsulation(job.number);
  const [draft, setDraft] = useDraft(`${job.number}.ways`, EMPTY);
  const [state, setState] = useState<WayState | null>(null);
  const newest = useNewest(draft);
  const { add, busy, problem } = useAdd();
  const set = (change: Partial<typeof EMPTY>): void => setDraft({ ...draft, ...change });
  const entries = pack.profile.entries ?? [];
  const ways = waysTyped(
    draft.which,
    entries.map((e) => e.id),
  );
  const named = entries.filter((e) => e.kind === draft.of && !ways.includes(e.id));
  const now = waysNow(
    (data ?? [])
      .filter((e) => e.supersededBy === null)
      .flatMap((e) => (e.observation.kind === 'ways' ? [e.observation] : [])),
  );
  const record = async (): Promise<void> => {
    if (state === null) return;
    const ok = await add({
      observation: {
        kind: 'ways',
        ways,
        of: draft.of,
        state,
        ...(draft.part === 'as it was' ? {} : { part: draft.part }),
        ...(draft.revision.trim() === '' ? {} : { revision: draft.revision.trim() }),
      },
    });
    if (!ok || newest.current !== draft) return;
    setDraft({ ...EMPTY, of: draft.of });
    setState(null);
  };
  return (
    <Stack>
      <h2>Where could water come in?</h2>
      <Row style={{ alignItems: 'end' }}>
        <Field style={{ flex: '0 1 170px' }}>
          Kind
          <Select value={draft.of} onChange={(e) => set({ of: e.target.value as WayKind })}>
            {WAY_KINDS.map((k) => (
              <option key={k} value={k}>
                {upper(ENTRY_ADVICE[k].name)}
              </option>
            ))}
          </Select>
        </Field>
        <Field style={{ flex: '1 1 220px' }}>
          Which
          <Input
            value={draft.which}
            placeholder="V14, or V1 to V84"
            maxLength={200}
            onChange={(e) => set({ which: e.target.value })}
          />
        </Field>
        {named.slice(0, 4).map((e) => (
          <Button
            key={e.id}
            quiet
            onPress={() => set({ which: draft.which.trim() ? `${draft.which}, ${e.id}` : e.id })}
          >
            {e.id}
          </Button>
        ))}
      </Row>
      <Row>
        <Chips
          selectionMode="single"
          selectedKeys={state ? [state] : []}
          onSelectionChange={(k) => setState(([...k][0] as WayState | undefined) ?? null)}
          aria-label="How it looks"
        >
          {WAY_STATES.map((s) => (
            <ToggleButton key={s} id={s}>
              {upper(s)}
            </ToggleButton>
          ))}
        </Chips>
        <Chips
          selectionMode="single"
          disallowEmptySelection
          selectedKeys={[draft.part]}
          onSelectionChange={(k) => set({ part: [...k][0] as WayPart })}
          aria-label="What stands there now"
        >
          {WAY_PARTS.map((p) => (
            <ToggleButton key={p} id={p}>
              {upper(p)}
            </ToggleButton>
          ))}
        </Chips>
        {draft.part === 'new' && (
          <Input
            aria-label="Revision"
            placeholder="revision"
            style={{ width: 130 }}
            value={draft.revision}
            maxLength={40}
            onChange={(e) => set({ revision: e.target.value })}
          />
        )}
        <Button
          isDisabled={busy || !person.mayWrite || state === null || ways.length === 0}
          onPress={() => void record()}
        >
          {ways.length === 0
            ? 'Say which'
            : state === null
              ? 'Say how it looks'
              : `Record ${waysInWords(ways)}: ${state}`}
        </Button>
      </Row>
      {draft.part === 'cleaned and reused' && (
        <Mute>
          It let water by once and may again. Wet it and test the insulation before the pack is called dry.
        </Mute>
      )}
      {problem && <ProblemNote what={problem.what} accepted={problem.accepted} />}
      <WaysTable now={now} />
    </Stack>
  );
}
/** Ways by kind and look, and what follows from it. */
function WaysTable({ now }: { now: readonly WayNow[] }) {
  if (now.length === 0) return null;
  const rows = new Map<string, { of: WayKind; state: WayState; part: WayPart; ways: string[] }>();
  for (const w of now) {
    const key = `${w.of} ${w.state} ${w.part}`;
    const row = rows.get(key) ?? { of: w.of, state: w.state, part: w.part, ways: [] };
    row.ways.push(w.revision ? `${w.way} (${w.revision})` : w.way);
    rows.set(key, row);
  }
  const { order, reused } = worksOn(now);
  return (
    <>
      <DataTable>
        <thead>
          <tr>
            <th>Way in</th>
            <th className="r">Count</th>
            <th>Looks</th>
            <th>Now</th>
            <th>Which</th>
          </tr>
        </thead>
        <tbody>
          {[...rows.values()].map((r) => (
            <tr key={`${r.of} ${r.state} ${r.part}`}>
              <td>
                <b>{upper(ENTRY_ADVICE[r.of].name)}</b>
              </td>
              <td className="r">{r.ways.length}</td>
              <td>{r.state}</td>
              <td>{r.part}</td>
              <td>{waysInWords(r.ways)}</td>
            </tr>
          ))}
        </tbody>
      </DataTable>
      {order.map((o) => (
        <p key={`${o.of} ${o.revision}`}>
          <b>
            Order {o.count} {ENTRY_ADVICE[o.of].name}
            {o.count > 1 ? 's' : ''}
          </b>
          , {o.revision ? `revision ${o.revision}` : 'newest revision'}, for {waysInWords(o.ways)}.
        </p>
      ))}
      {reused.length > 0 && (
        <Mute>
          Cleaned and reused: {waysInWords(reused)}. Before this pack is called dry, wet them and test the
          insulation.
        </Mute>
      )}
    </>
  );
}
