import type { CheckId, Job } from '@cellmend/contract/jobs';
import { figureIn } from '@cellmend/core/jot';
import { InputProblem } from '@cellmend/core/pack';
import { EVIDENCE } from '@cellmend/core/route';
import { useState } from 'react';
import { useJobView } from '../../shell/jobContext';
import { DryingSoFar } from './DryingSoFar';
import { useDraft } from '../../shell/useDraft';
import { useWrite } from '../../shell/useWrite';
import { ToggleButton } from 'react-aria-components';
import { Chips } from '../../ui/Chips';
import { Input, Field } from '../../ui/Field';
import { Button, ProblemNote, Row, Stack } from '../../ui/parts';

/** Records one check of the work as passed or not, with its figure where it has one. */
export function CheckForm({ step, onDone }: { step: Job['steps'][number]; onDone: () => void }) {
  const { asks, unit = '', besides = [], papers } = EVIDENCE[step.evidence].check!;
  return (
    <>
      {step.evidence === 'dried' && <DryingSoFar place={step.place} />}
      <Looked
        check={step.evidence as CheckId}
        place={step.place}
        asks={besides.length > 0 ? `${asks}? And: ${besides.join(', ')}?` : `${asks}?`}
        besides={besides}
        papers={papers}
        unit={unit}
        yes="Passed"
        no="Not passed"
        onDone={onDone}
      />
    </>
  );
}

/** What somebody looked at: right or not, its figure, a note. */
export function Looked({
  check,
  place,
  asks,
  besides = [],
  papers,
  unit,
  yes,
  no,
  kept = (v) => v,
  onDone,
}: {
  check: CheckId;
  place: string;
  asks: string;
  /** What it asks besides, each of which may be left out. */
  besides?: readonly string[];
  /** What has to be written down before it counts. */
  papers?: string | undefined;
  unit: string;
  yes: string;
  no: string;
  /** The figure as it is stored, from the unit that it is typed in. */
  kept?: (shown: number) => number;
  onDone: () => void;
}) {
  const { job } = useJobView();
  const [draft, setDraft, clear] = useDraft(`${job.number}.check.${check}.${place}`, {
    value: '',
    text: '',
    left: [] as string[] | undefined,
  });
  const left = (draft.left ?? []).filter((l) => besides.includes(l));
  const [problem, setProblem] = useState<string | null>(null);
  const write = useWrite();
  const record = async (passed: boolean): Promise<void> => {
    setProblem(null);
    let value: number | null = null;
    try {
      if (unit && draft.value.trim() !== '') value = kept(figureIn(draft.value, unit));
    } catch (e) {
      if (!(e instanceof InputProblem)) throw e;
      return setProblem(`${e.what} ${e.accepted}`);
    }
    if (await write.run('/checks', { check, place, passed, value, text: draft.text, left })) {
      clear();
      onDone();
    }
  };
  return (
    <Stack>
      <p>{asks}</p>
      <Row style={{ alignItems: 'flex-end' }}>
        {unit && (
          <Field style={{ flex: '0 1 160px' }}>
            Figure, {unit}
            <Input
              className="n"
              inputMode="text"
              value={draft.value}
              onChange={(e) => setDraft({ ...draft, value: e.target.value })}
            />
          </Field>
        )}
        <Field style={{ flex: '1 1 220px' }}>
          {papers ?? 'Note'}
          <Input
            value={draft.text}
            maxLength={2000}
            onChange={(e) => setDraft({ ...draft, text: e.target.value })}
          />
        </Field>
      </Row>
      {besides.length > 0 && (
        <Field>
          Left out, if any
          <Chips
            selectionMode="multiple"
            selectedKeys={left}
            onSelectionChange={(k) => setDraft({ ...draft, left: [...k].map(String) })}
            aria-label="Left out"
          >
            {besides.map((b) => (
              <ToggleButton key={b} id={b}>
                {b}
              </ToggleButton>
            ))}
          </Chips>
          {left.length > 0 && <small>The sheet says so.</small>}
        </Field>
      )}
      {problem && <ProblemNote what={problem} />}
      {write.problem && <ProblemNote what={write.problem.what} accepted={write.problem.accepted} />}
      <Row>
        <Button
          isDisabled={write.busy || (papers !== undefined && draft.text.trim().length < 3)}
          onPress={() => void record(true)}
        >
          {yes}
        </Button>
        <Button quiet isDisabled={write.busy} onPress={() => void record(false)}>
          {no}
        </Button>
      </Row>
    </Stack>
  );
}
