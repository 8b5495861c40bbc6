import type { NewRun, Run } from '@cellmend/contract/bench';
import { cutoffVPerCell, recipesFor, type RecipeId } from '@cellmend/core/bench';
import { limitValue } from '@cellmend/core/pack';
import { InputProblem } from '@cellmend/core/pack';
import { useRef, useState } from 'react';
import { FileTrigger, ToggleButton } from 'react-aria-components';
import { useSWRConfig } from 'swr';
import { ApiProblem, upload } from '../../api/client';
import { Keys } from '../../api/keyFor';
import { useJobView } from '../../shell/jobContext';
import { useDraft } from '../../shell/useDraft';
import { celsiusOf } from '../../ui/celsius';
import { Chips } from '../../ui/Chips';
import { Field, Input, Select } from '../../ui/Field';
import { Button, Mute, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { temperature, temperatureUnit } from '../../ui/units';
import { fixed, upper } from '../../ui/words';
import { Recovery, UNKNOWN } from './Recovery';
import { keepHold, keepRun } from './useBench';

const EMPTY = {
  recipe: 'capacity' as RecipeId,
  capacityAh: '',
  complete: true,
  currentA: '',
  hours: '',
  endV: '',
  /** Temperature at its start. */
  atStart: '',
  hottest: '',
  dropouts: '',
  cutoffV: '',
  note: '',
  startV: '',
  recovery: UNKNOWN,
  resistance: '',
  /** When it ended, as the page's own field has it; empty: now. */
  ended: '',
};
/** A figure: null where nothing is typed, NaN where it cannot be read. */
const figure = (text: string): number | null =>
  text.trim() === '' ? null : Number(text.trim().replace(',', '.'));

/** °C of what is typed in the workshop's unit: null where nothing is, `unread` where it is no temperature. */
function celsiusTyped(text: string): number | null | 'unread' {
  if (text.trim() === '') return null;
  try {
    return celsiusOf(text);
  } catch (e) {
    if (!(e instanceof InputProblem)) throw e;
    return 'unread';
  }
}

/** A run written down by hand, or the file of a charger; what its recipe allows stands beside it. */
export function RunForm({ place }: { place: string }) {
  const { job, pack } = useJobView();
  const { mutate } = useSWRConfig();
  const [t, setT, , restart] = useDraft(`${job.number}.bench.${place}`, EMPTY);
  const [problem, setProblem] = useState<{ what: string; accepted?: string | undefined } | null>(null);
  const keys = useRef(new Keys());
  /** When each file was first sent. */
  const sentAt = useRef<Record<string, string>>({});
  const [reading, setReading] = useState('');
  const [said, setSaid] = useState('');
  const [holds, setHolds] = useState(false);
  const [full, setFull] = useState('');
  const module = pack.modules.find((m) => m.id === place)!;
  const cells = module.groupIndices.length;
  const nimh = pack.profile.chemistry === 'nimh';
  const recipes = recipesFor(pack.profile).filter((r) => r.on === 'module');
  const recipe = recipes.find((r) => r.id === t.recipe);
  const usualCutoff = cells * (recipe ? cutoffVPerCell(recipe) : limitValue(pack.profile, 'cellEmptyV'));
  const cutoffV = figure(t.cutoffV) ?? usualCutoff;
  const recovers = t.recipe === 'recover';
  const figures = {
    capacityAh: figure(t.capacityAh),
    currentA: figure(t.currentA),
    hours: figure(t.hours),
    endV: figure(t.endV),
    startV: figure(t.startV ?? ''),
    resistance: figure(t.resistance ?? ''),
    dropouts: figure(t.dropouts) ?? 0,
    cutoffV,
  };
  const endedAt = (): string => (t.ended ? new Date(t.ended) : new Date()).toISOString();
  const unread = Object.entries(figures)
    .filter(([, v]) => v !== null && !(v >= 0))
    .map(([k]) => k);
  const [startC, hottestC] = [celsiusTyped(t.atStart ?? ''), celsiusTyped(t.hottest)];
  const coolerAtLast = typeof startC === 'number' && typeof hottestC === 'number' && hottestC < startC;
  const warmthBad = startC === 'unread' || hottestC === 'unread' || coolerAtLast;
  const fullFigure = figure(full);
  const fullOk = fullFigure === null || (fullFigure >= 0 && fullFigure <= 100);
  const beginHold = (): void => {
    keepHold(job.number, {
      place,
      observedAt: new Date().toISOString(),
      socFraction: fullFigure === null ? null : fullFigure / 100,
    });
    setHolds(false);
    setFull('');
    setSaid(`${place}: hold test begun.`);
  };
  const ready =
    unread.length === 0 &&
    !warmthBad &&
    (!recovers || (figures.startV !== null && figures.endV !== null)) &&
    (figures.capacityAh !== null || figures.resistance !== null || t.note.trim() !== '' || hottestC !== null);
  const record = (): void => {
    const body: NewRun = {
      place,
      recipe: t.recipe,
      observedAt: endedAt(),
      capacityAh: figures.capacityAh,
      complete: t.complete,
      currentA: figures.currentA,
      hours: figures.hours,
      endV: figures.endV,
      startV: figures.startV,
      recovery: recovers ? (t.recovery ?? UNKNOWN) : null,
      dropouts: figures.dropouts,
      cutoffV: figures.cutoffV,
      startC: warmthBad ? null : startC,
      hottestC: warmthBad ? null : hottestC,
      r10sMilliohm: figures.resistance,
      note: t.note,
    };
    keepRun(job.number, body);
    restart();
    setSaid(`${place}: kept.`);
  };
  const send = async (file: File): Promise<void> => {
    setProblem(null);
    setReading(file.name);
    const own = [file.name, file.size, file.lastModified, place, t.recipe, cutoffV, t.ended];
    try {
      const query = new URLSearchParams({
        place,
        recipe: t.recipe,
        cutoffV: String(cutoffV),
        // When a file was saved is not when its run ended; sent again it is of the same moment.
        observedAt: (sentAt.current[String(own)] ??= endedAt()),
        name: file.name,
      });
      const run = await upload<Run>(
        `/jobs/${job.number}/bench/files?${query.toString()}`,
        file,
        undefined,
        keys.current.of(own),
      );
      keys.current.answered();
      setSaid(
        `${place}: ${run.capacityAh === null ? 'no discharge in it' : `${run.lowerBound ? 'at least ' : ''}${fixed(run.capacityAh, 2)} A·h`}.`,
      );
      await mutate((k) => typeof k === 'string' && k.startsWith(`/jobs/${job.number}`));
    } catch (e) {
      keys.current.failed(e);
      setProblem(
        e instanceof ApiProblem
          ? { what: e.message, accepted: e.problem.accepted }
          : {
              what: 'The server is away. Whether the file was taken is not certain.',
              accepted: 'The same file again: it is taken once.',
            },
      );
    } finally {
      setReading('');
    }
  };
  const input = (
    key: keyof typeof EMPTY &
      ('capacityAh' | 'currentA' | 'hours' | 'startV' | 'endV' | 'dropouts' | 'cutoffV' | 'resistance'),
    label: string,
    hint = '',
  ) => (
    <Field style={{ flex: '1 1 120px' }}>
      {label}
      <Input
        className="n"
        inputMode="decimal"
        placeholder={hint}
        value={t[key]}
        onChange={(e) => {
          setSaid('');
          setT({ ...t, [key]: e.target.value });
        }}
      />
      {unread.includes(key) && <small role="alert">A figure, please.</small>}
    </Field>
  );
  const limits = recipe?.steps.filter((s) => s.currentA !== 0);
  return (
    <Sheet aria-label={`Run of ${place}`}>
      <Stack>
        <Row style={{ flexWrap: 'wrap' }}>
          <h2 style={{ flex: 1 }}>
            {place}: {recovers ? 'did it come up?' : 'what did it give?'}
          </h2>
          <FileTrigger
            acceptedFileTypes={['.csv', '.txt', '.tsv', 'text/csv']}
            onSelect={(f) => f?.[0] && void send(f[0])}
          >
            <Button quiet isDisabled={reading !== ''}>
              {reading === '' ? 'From a file' : `Reading ${reading} …`}
            </Button>
          </FileTrigger>
          <Button quiet aria-expanded={holds} onPress={() => setHolds(!holds)}>
            Begin hold test
          </Button>
        </Row>
        {holds && (
          <Row style={{ alignItems: 'flex-end', flexWrap: 'wrap' }}>
            <Field style={{ flex: '1 1 200px' }}>
              How full it was charged, %
              <Input
                className="n"
                inputMode="decimal"
                value={full}
                onChange={(e) => setFull(e.target.value)}
              />
              {!fullOk && <small role="alert">0 to 100.</small>}
            </Field>
            <Button isDisabled={!fullOk} onPress={beginHold}>
              It is left alone now
            </Button>
          </Row>
        )}
        {holds && <Mute>Empty where nobody knows: its voltage is asked then.</Mute>}
        <Row style={{ flexWrap: 'wrap', alignItems: 'flex-end' }}>
          <Field style={{ flex: '1 1 180px' }}>
            Recipe
            <Select value={t.recipe} onChange={(e) => setT({ ...t, recipe: e.target.value as RecipeId })}>
              {recipes
                .filter((r) => r.id !== 'hold')
                .map((r) => (
                  <option key={r.id} value={r.id}>
                    {r.name}
                  </option>
                ))}
              <option value="other">Another</option>
            </Select>
          </Field>
          {input('capacityAh', recovers ? 'Put in, A·h' : 'Gave, A·h')}
          {!recovers && input('cutoffV', 'Cut-off, V', fixed(usualCutoff, 1))}
          {!recovers && (
            <Chips
              selectionMode="single"
              disallowEmptySelection
              selectedKeys={[t.complete ? 'to' : 'before']}
              onSelectionChange={(k) => setT({ ...t, complete: [...k][0] === 'to' })}
              aria-label="How it ended"
            >
              <ToggleButton id="to">to its cut-off</ToggleButton>
              <ToggleButton id="before">ended before</ToggleButton>
            </Chips>
          )}
        </Row>
        <Row style={{ flexWrap: 'wrap' }}>
          {input('currentA', 'At, A')}
          {input('hours', 'It took, h')}
          {recovers && input('startV', 'At rest before, V')}
          {input('endV', 'End, V')}
          {nimh && input('dropouts', 'Steps seen')}
          {!recovers && input('resistance', '10 s resistance, mΩ')}
          <Field style={{ flex: '1 1 120px' }}>
            At its start, {temperatureUnit()}
            <Input
              className="n"
              inputMode="decimal"
              value={t.atStart ?? ''}
              onChange={(e) => setT({ ...t, atStart: e.target.value })}
            />
          </Field>
          <Field style={{ flex: '1 1 120px' }}>
            Warmest, {temperatureUnit()}
            <Input
              className="n"
              inputMode="decimal"
              value={t.hottest}
              onChange={(e) => setT({ ...t, hottest: e.target.value })}
            />
            {warmthBad && (
              <small role="alert">
                {coolerAtLast ? 'Cooler than at its start: one of the two is not right.' : 'A temperature.'}
              </small>
            )}
          </Field>
          <Field style={{ flex: '1 1 190px' }}>
            Ended, if not now
            <Input
              type="datetime-local"
              value={t.ended ?? ''}
              onChange={(e) => setT({ ...t, ended: e.target.value })}
            />
          </Field>
          <Field style={{ flex: '2 1 200px' }}>
            Note
            <Input value={t.note} maxLength={2000} onChange={(e) => setT({ ...t, note: e.target.value })} />
          </Field>
        </Row>
        {recovers && (
          <Recovery
            answers={t.recovery ?? UNKNOWN}
            onChange={(recovery) => setT({ ...t, recovery })}
            what="Scrap is the usual answer."
          />
        )}
        {recipe && (
          <Mute>
            {recipe.says}{' '}
            {limits?.map(
              (s) =>
                `${upper(s.name)} ${fixed(Math.abs(s.currentA), 1)} A, ends at ${fixed(s.limits.mostHours, 1)} h, ${temperature(s.limits.mostC)}, ${fixed(cells * (s.currentA < 0 ? s.limits.mostVPerCell : s.limits.leastVPerCell), 1)} V. `,
            )}
          </Mute>
        )}
        {problem && <ProblemNote what={problem.what} accepted={problem.accepted} />}
        <Row>
          <Button isDisabled={!ready} onPress={record}>
            Record
          </Button>
          {said !== '' && <span role="status">{said}</span>}
        </Row>
      </Stack>
    </Sheet>
  );
}
