import { MEASURE_KINDS, MEASURES, placesOf, type Measure, type MeasureKind } from '@cellmend/core/route';
import type { SpreadReport } from '@cellmend/core/diagnosis';
import { X } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import { ToggleButton } from 'react-aria-components';
import styled from 'styled-components';
import { decisionOf } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { SignNote, useSigning } from '../../shell/signing';
import { useDraft } from '../../shell/useDraft';
import { Input, Select, TextArea, Field, FieldGroup } from '../../ui/Field';
import { Chips } from '../../ui/Chips';
import { Button, Mute, Row, Sheet, Stack } from '../../ui/parts';
import { upper } from '../../ui/words';
import { Gain } from './Gain';
import {
  draftName,
  changed,
  fromProposal,
  together,
  withLine,
  withModules,
  withoutLine,
  type Draft,
} from './measureList';
import { useOnward } from '../../shell/useOnward';

const Line = styled.li`
  display: grid;
  grid-template-columns: minmax(150px, 1.1fr) minmax(90px, 0.6fr) 2fr auto;
  gap: 8px 12px;
  align-items: center;
  padding: 6px 0;
  border-bottom: 1px solid var(--line);
  &:last-child {
    border-bottom: 0;
  }
  @media (max-width: 700px) {
    grid-template-columns: 1fr auto;
  }
`;
const Lines = styled.ol`
  list-style: none;
  margin: 0;
  padding: 0;
`;

const NOTHING: Measure[] = [];

/** What is to be done, as a list: proposed by what was found, changed and signed by a person. */
export function Decide({
  report,
  findingIds,
  offered,
  onDone,
}: {
  /** Null where nothing was scanned: then no range is computed. */
  report: SpreadReport | null;
  findingIds: string[];
  /** Modules that something was found in, the likeliest to come out first. */
  offered: readonly string[];
  onDone: () => void;
}) {
  const { job, pack, selected } = useJobView();
  const earlier = decisionOf(job, 'measures');
  const signed = earlier?.body.measures ?? NOTHING;
  const [kept, setDraft, clearDraft] = useDraft<Draft | null>(
    draftName(job.number, earlier?.version ?? 0),
    null,
  );
  // Until somebody changes it the list follows what is proposed: the proposal may come a moment after the findings.
  const draft: Draft = kept ?? {
    measures: !earlier
      ? fromProposal(job.proposed)
      : job.reopened
        ? signed.map((m) => ({ ...m, dropped: m.dropped || 'done before it came back' }))
        : signed,
    elsewhere: earlier?.body.elsewhere ?? '',
  };
  const [note, setNote, clearNote] = useDraft(`${job.number}.measures.note`, earlier?.note ?? '');
  const here = useRef<HTMLHeadingElement>(null);
  const below = report !== null;
  // Below a long page of findings it is brought into view; without a scan it stands near the top anyway.
  useEffect(() => {
    if (below) here.current?.scrollIntoView({ block: 'start' });
  }, [below]);
  const signing = useSigning('measures', ({ body }) => {
    if (body.topic === 'measures') setDraft({ ...draft, measures: together(draft.measures, body.measures) });
  });
  const onward = useOnward();
  const set = (measures: Measure[]): void => setDraft({ ...draft, measures });
  const out = placesOf(draft.measures, 'replace-module');
  const onMap = selected === null ? null : pack.modules[selected]!.id;
  const chips = [...new Set([...offered, ...out, ...(onMap ? [onMap] : [])])];
  const standing = draft.measures.filter((m) => m.dropped === '');
  const sign = async (): Promise<void> => {
    if (
      await signing.sign({
        body: { topic: 'measures', measures: draft.measures, elsewhere: draft.elsewhere },
        note,
        findingIds,
      })
    ) {
      clearNote();
      clearDraft();
      onDone();
      // A list that ends without a repair has nothing to match.
      const repairs = standing.every((m) => MEASURES[m.kind].ends === 'repaired');
      if (out.length > 0 && repairs) onward(`/jobs/${job.number}/match`);
    }
  };
  return (
    <Sheet aria-label="Decision">
      <Stack>
        <h2 ref={here}>What is to be done?</h2>
        <FieldGroup>
          Replace these modules
          <small>Suspects are offered first; pick others on the pack map.</small>
          <Chips
            selectionMode="multiple"
            selectedKeys={out}
            onSelectionChange={(k) =>
              set(withModules(draft.measures, 'replace-module', [...k].map(String), signed))
            }
            aria-label="Modules to replace"
          >
            {chips.map((m) => (
              <ToggleButton key={m} id={m}>
                {m}
              </ToggleButton>
            ))}
          </Chips>
        </FieldGroup>
        {report && out.length > 0 && <Gain report={report} chosen={out} />}
        {draft.measures.length > 0 && (
          <Lines aria-label="Measures">
            {draft.measures.map((m) => (
              <MeasureLine
                key={m.id}
                measure={m}
                onChange={(by) => set(changed(draft.measures, m.id, by))}
                onRemove={() => set(withoutLine(draft.measures, m.id, signed))}
              />
            ))}
          </Lines>
        )}
        <AddLine onAdd={(kind, place) => set(withLine(draft.measures, kind, place))} onMap={onMap} />
        <Field>
          Work inside the pack was done elsewhere
          <small>By whom, where, by which paper. Leave it empty where it is done here.</small>
          <Input
            value={draft.elsewhere}
            maxLength={300}
            onChange={(e) => setDraft({ ...draft, elsewhere: e.target.value })}
          />
        </Field>
        <Field>
          Note
          <TextArea
            value={note}
            onChange={(e) => setNote(e.currentTarget.value)}
            maxLength={2000}
            placeholder="Why, if it is not what the finding says"
          />
        </Field>
        <SignNote signing={signing} />
        <Row>
          <Button
            isDisabled={!signing.may || signing.busy || standing.length === 0}
            onPress={() => void sign()}
          >
            Sign decision
          </Button>
          <Button quiet onPress={onDone}>
            Not yet
          </Button>
          {!earlier && job.proposed.length > 0 && (
            <Button quiet onPress={() => set(fromProposal(job.proposed))}>
              As proposed
            </Button>
          )}
        </Row>
      </Stack>
    </Sheet>
  );
}

function MeasureLine({
  measure,
  onChange,
  onRemove,
}: {
  measure: Measure;
  onChange: (by: Partial<Measure>) => void;
  onRemove: () => void;
}) {
  const words = `${upper(MEASURES[measure.kind].name)}${measure.place ? ` ${measure.place}` : ''}`;
  if (measure.dropped !== '')
    return (
      <Line>
        <Mute>
          <s>{words}</s>
        </Mute>
        <Mute>dropped</Mute>
        <Input
          aria-label={`Why ${words} is dropped`}
          value={measure.dropped}
          maxLength={300}
          onChange={(e) => onChange({ dropped: e.target.value || ' ' })}
        />
        <Button quiet onPress={() => onChange({ dropped: '' })}>
          Take back
        </Button>
      </Line>
    );
  return (
    <Line>
      <b>{upper(MEASURES[measure.kind].name)}</b>
      <span className="n">{measure.place || 'whole pack'}</span>
      <Row>
        <Input
          style={{ flex: '1 1 140px' }}
          aria-label={`Why: ${words}`}
          placeholder="Why"
          value={measure.why}
          maxLength={300}
          onChange={(e) => onChange({ why: e.target.value })}
        />
        {'mayStayClosed' in MEASURES[measure.kind] && (
          <Chips
            selectionMode="multiple"
            selectedKeys={measure.closed ? ['closed'] : []}
            onSelectionChange={(k) => onChange({ closed: [...k].includes('closed') })}
            aria-label={`${words}: pack`}
          >
            <ToggleButton id="closed">pack stays closed</ToggleButton>
          </Chips>
        )}
      </Row>
      <Button quiet aria-label={`Take out: ${words}`} onPress={onRemove}>
        <X size={18} aria-hidden />
      </Button>
    </Line>
  );
}

/** Another line: any kind of measure, at its place. */
function AddLine({
  onAdd,
  onMap,
}: {
  onAdd: (kind: MeasureKind, place: string) => void;
  onMap: string | null;
}) {
  const { pack } = useJobView();
  const [kind, setKind] = useState<MeasureKind>('replace-board');
  const [place, setPlace] = useState('');
  const { on } = MEASURES[kind];
  const at = on === 'pack' ? '' : on === 'module' ? place || onMap || pack.modules[0]!.id : place.trim();
  return (
    <Row style={{ alignItems: 'end' }}>
      <Field style={{ flex: '2 1 200px' }}>
        Another measure
        <Select value={kind} onChange={(e) => setKind(e.target.value as MeasureKind)}>
          {MEASURE_KINDS.map((k) => (
            <option key={k} value={k}>
              {upper(MEASURES[k].name)}
            </option>
          ))}
        </Select>
      </Field>
      {on !== 'pack' && (
        <Field style={{ flex: '1 1 120px' }}>
          {on === 'module' ? 'Module' : 'Place'}
          {on === 'module' ? (
            <Select value={at} onChange={(e) => setPlace(e.target.value)}>
              {pack.modules.map((m) => (
                <option key={m.id}>{m.id}</option>
              ))}
            </Select>
          ) : (
            <Input
              value={place}
              maxLength={40}
              placeholder={on === 'joint' ? 'L4' : on === 'board' ? 'B2' : 'valve 2'}
              onChange={(e) => setPlace(e.target.value)}
            />
          )}
        </Field>
      )}
      <Button quiet isDisabled={on !== 'pack' && at === ''} onPress={() => onAdd(kind, at)}>
        Add
      </Button>
    </Row>
  );
}
