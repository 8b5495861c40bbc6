import type { Instrument } from '@cellmend/contract/instruments';
import type { RecoveryAnswers, StartRun, SupervisedRun } from '@cellmend/contract/supervised';
import { cannotRun, planOf, recipesFor, type RecipeId } from '@cellmend/core/bench';
import { cellsAt } from '@cellmend/core/pack';
import { useState } from 'react';
import { ToggleButton } from 'react-aria-components';
import { useInstruments } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { useWrite } from '../../shell/useWrite';
import { Chips } from '../../ui/Chips';
import { Field, Input, Select } from '../../ui/Field';
import { Button, LinkButton, Mute, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { temperature } from '../../ui/units';
import { duration, fixed, upper } from '../../ui/words';

/** What somebody has to have looked at before a current flows that nobody holds. */
export const LOOKED = 'Leads the right way round, sensor on, air moving, nothing near that burns';

const UNKNOWN: RecoveryAnswers = {
  emptyDays: null,
  ageYears: null,
  swollen: null,
  leaked: null,
  outdoors: false,
  somebodyStays: false,
};

/** Modules onto free channels: a recipe, the modules, one look, and they run. */
export function StartRuns({ left, runs }: { left: readonly string[]; runs: readonly SupervisedRun[] }) {
  const { job, pack } = useJobView();
  const { data, mutate } = useInstruments();
  const [recipeId, setRecipe] = useState<RecipeId>('capacity');
  const [places, setPlaces] = useState<string[]>([]);
  const [looked, setLooked] = useState(false);
  const [recovery, setRecovery] = useState(UNKNOWN);
  const [said, setSaid] = useState('');
  const [problems, setProblems] = useState<{ place: string; what: string; accepted?: string | undefined }[]>(
    [],
  );
  const write = useWrite();
  const bench = (data ?? []).filter((i) => i.kind !== 'insulation-tester');
  const nimh = pack.profile.chemistry === 'nimh';
  const cellsOf = (place: string): number =>
    cellsAt(pack, { kind: 'module', index: pack.modules.findIndex((m) => m.id === place) });
  const cells = cellsOf(places[0] ?? pack.modules[0]!.id);
  const against = (i: Instrument): string[] => {
    const recipe = recipesFor(pack.profile, { mostA: i.mostA }).find((r) => r.id === recipeId);
    if (!recipe) return ['No such recipe.'];
    return cannotRun(planOf(recipe, pack.profile, cells), {
      charges: i.kind === 'charger' || i.kind === 'supply',
      discharges: i.kind === 'charger' || i.kind === 'load',
      mostV: i.mostV,
      mostA: i.mostA,
    });
  };
  const free = bench.filter((i) => i.busyWith === null);
  const able = free.filter((i) => against(i).length === 0);
  const busy = new Set(runs.filter((r) => r.state !== 'done').map((r) => r.place));
  const offered = pack.modules.map((m) => m.id).filter((id) => !busy.has(id));
  const onto = places.slice(0, able.length).map((place, k) => ({ place, instrument: able[k]! }));
  const recipe = recipesFor(pack.profile, { mostA: able[0]?.mostA ?? null }).find((r) => r.id === recipeId);
  const plan = recipe ? planOf(recipe, pack.profile, cells) : [];
  const choose = (keys: Iterable<unknown>): void => {
    const next = [...keys].map(String);
    // In the order they were pressed: that is the order of the channels.
    setPlaces([...places.filter((p) => next.includes(p)), ...next.filter((p) => !places.includes(p))]);
    setSaid('');
  };
  const start = async (): Promise<void> => {
    const failed: typeof problems = [];
    const begun: string[] = [];
    for (const { place, instrument } of onto) {
      const body: StartRun = {
        place,
        recipe: recipeId,
        instrumentId: instrument.id,
        looked: true,
        recovery: recipeId === 'recover' ? recovery : null,
      };
      const problem = await write.tell(`/bench/supervised`, body);
      if (problem) failed.push({ place, ...problem });
      else begun.push(place);
    }
    setProblems(failed);
    // What was pressed meanwhile stays pressed.
    setPlaces((now) => now.filter((p) => !begun.includes(p)));
    setSaid(begun.length > 0 ? `${begun.join(', ')}: on.` : '');
    if (failed.length === 0) setLooked(false);
    await mutate();
  };
  if (bench.length === 0)
    return (
      <Sheet aria-label="Start runs">
        <Row>
          <span style={{ flex: 1 }}>
            No charger or load is known here yet. Runs can be typed, or read from a charger’s file.
          </span>
          <LinkButton $quiet to="/instruments">
            Instruments
          </LinkButton>
        </Row>
      </Sheet>
    );
  return (
    <Sheet aria-label="Start runs">
      <Stack>
        <h2>Start runs</h2>
        <Row style={{ alignItems: 'flex-end' }}>
          <Field style={{ flex: '1 1 220px' }}>
            Recipe
            <Select value={recipeId} onChange={(e) => setRecipe(e.target.value as RecipeId)}>
              {recipesFor(pack.profile).map((r) => (
                <option key={r.id} value={r.id}>
                  {r.name}
                </option>
              ))}
            </Select>
          </Field>
          <span style={{ flex: '2 1 260px' }}>
            {able.length === 0
              ? free.length === 0
                ? `All ${bench.length} channels are at work.`
                : against(free[0]!).join(' ')
              : `${able.length} of ${bench.length} channels free: ${able.map((i) => i.name).join(', ')}.`}
          </span>
        </Row>
        {recipe && (
          <Mute>
            {recipe.says}{' '}
            {plan
              .map(
                (s) =>
                  `${upper(s.name)}${s.currentA > 0 ? ` ${fixed(s.currentA, 1)} A` : ''}, at most ${duration((s.lastsS ?? s.limits.mostS) / 3600)}${s.mode === 'discharge' ? `, to ${fixed(s.limits.leastV, 2)} V` : s.mode === 'charge' ? `, up to ${fixed(s.limits.mostV, 2)} V and ${temperature(s.limits.mostC)}` : ''}.`,
              )
              .join(' ')}
          </Mute>
        )}
        <Chips
          selectionMode="multiple"
          selectedKeys={places}
          onSelectionChange={choose}
          aria-label={nimh ? 'Modules, in the order of the channels' : 'Modules'}
        >
          {offered.map((id) => {
            const on = onto.find((o) => o.place === id);
            return (
              <ToggleButton
                key={id}
                id={id}
                isDisabled={!places.includes(id) && places.length >= able.length}
              >
                {id}
                {on ? ` on ${on.instrument.name}` : left.includes(id) ? '' : ' (fits)'}
              </ToggleButton>
            );
          })}
        </Chips>
        {recipeId === 'recover' && <Recovery answers={recovery} onChange={setRecovery} />}
        <Chips
          selectionMode="multiple"
          selectedKeys={looked ? ['looked'] : []}
          onSelectionChange={(k) => setLooked(k.has('looked'))}
          aria-label="Looked at each of them"
        >
          <ToggleButton id="looked">{LOOKED}</ToggleButton>
        </Chips>
        {problems.map((p) => (
          <ProblemNote key={p.place} what={`${p.place}: ${p.what}`} accepted={p.accepted} />
        ))}
        <Row>
          <Button isDisabled={write.busy || !looked || onto.length === 0} onPress={() => void start()}>
            {onto.length === 0
              ? 'Start'
              : `Start ${onto.length === 1 ? onto[0]!.place : `${onto.length} of them`}`}
          </Button>
          {said !== '' && <span role="status">{said}</span>}
          <Mute>
            Job {job.number}: every output comes off at Stop, at a crossed limit, and when nobody watches.
          </Mute>
        </Row>
      </Stack>
    </Sheet>
  );
}

/** What speaks against a recovery; what is not known counts as no. */
function Recovery({
  answers,
  onChange,
}: {
  answers: RecoveryAnswers;
  onChange: (a: RecoveryAnswers) => void;
}) {
  const figure = (key: 'emptyDays' | 'ageYears', label: string) => (
    <Field style={{ flex: '1 1 140px' }}>
      {label}
      <Input
        className="n"
        inputMode="decimal"
        value={answers[key] ?? ''}
        onChange={(e) => {
          const v = e.target.value.trim() === '' ? null : Number(e.target.value.replace(',', '.'));
          onChange({ ...answers, [key]: v !== null && Number.isFinite(v) && v >= 0 ? v : null });
        }}
      />
    </Field>
  );
  const seen = (key: 'swollen' | 'leaked', label: string) => (
    <Chips
      selectionMode="single"
      selectedKeys={answers[key] === null ? [] : [String(answers[key])]}
      onSelectionChange={(k) => onChange({ ...answers, [key]: k.size === 0 ? null : k.has('true') })}
      aria-label={label}
    >
      <ToggleButton id="false">Not {label}</ToggleButton>
      <ToggleButton id="true">{upper(label)}</ToggleButton>
    </Chips>
  );
  return (
    <Stack $gap={8}>
      <b>Scrap is the usual answer. What is not known counts as no.</b>
      <Row style={{ alignItems: 'flex-end' }}>
        {figure('emptyDays', 'Empty for, days')}
        {figure('ageYears', 'Age, years')}
        {seen('swollen', 'swollen')}
        {seen('leaked', 'wet or smelling')}
      </Row>
      <Chips
        selectionMode="multiple"
        selectedKeys={[
          ...(answers.outdoors ? ['outdoors'] : []),
          ...(answers.somebodyStays ? ['stays'] : []),
        ]}
        onSelectionChange={(k) =>
          onChange({ ...answers, outdoors: k.has('outdoors'), somebodyStays: k.has('stays') })
        }
        aria-label="Where and by whom"
      >
        <ToggleButton id="outdoors">It lies outdoors, away from everything</ToggleButton>
        <ToggleButton id="stays">Somebody stays with it all the time</ToggleButton>
      </Chips>
    </Stack>
  );
}
