import type { Beside } from '@cellmend/contract/bench';
import type { Instrument } from '@cellmend/contract/instruments';
import type { StartRun, StartTransfer, StartWake, SupervisedRun } from '@cellmend/contract/supervised';
import { planOf, recipesFor, type RecipeId } from '@cellmend/core/bench';
import { SCHOOLS, type School } from '@cellmend/core/learn';
import { cellsAt } from '@cellmend/core/pack';
import { useState } from 'react';
import { ToggleButton } from 'react-aria-components';
import { decisionOf, useInstruments, useWorkshop } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { useWrite } from '../../shell/useWrite';
import { Chips } from '../../ui/Chips';
import { Field, Select } from '../../ui/Field';
import { Button, LinkButton, Mute, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { temperature } from '../../ui/units';
import { duration, fixed, signed, upper } from '../../ui/words';
import { against, mostPlaces, ontoChannels, runsModules, waysOf, type Way } from './channels';
import { Recovery, UNKNOWN } from './Recovery';
import { useBeside } from './useSupervised';

/** What somebody has to have looked at before a current flows that nobody holds. */
export const LOOKED = 'Leads the right way round, sensor on, air moving, nothing near that burns';

/** Modules onto free channels: a recipe, the modules, one look, and they run. */
export function StartRuns({ left, runs }: { left: readonly string[]; runs: readonly SupervisedRun[] }) {
  const { job, pack } = useJobView();
  const { data, mutate } = useInstruments();
  const conditioning = useWorkshop().data?.conditioning;
  const [pickedWay, setWay] = useState<Way | null>(null);
  // Sticks that are to be conditioned begin by this workshop's school; everything else is measured first.
  const listed = decisionOf(job, 'measures')?.body.measures.some((m) => m.kind === 'condition');
  const way =
    pickedWay ?? (listed && pack.profile.chemistry === 'nimh' ? conditioning : undefined) ?? 'capacity';
  const [places, setPlaces] = useState<string[]>([]);
  const [looked, setLooked] = useState(false);
  const [recovery, setRecovery] = useState(UNKNOWN);
  const [said, setSaid] = useState('');
  const [problems, setProblems] = useState<{ place: string; what: string; accepted?: string | undefined }[]>(
    [],
  );
  const write = useWrite();
  const { data: beside } = useBeside(job.number);
  const bench = (data ?? []).filter(runsModules);
  const nimh = pack.profile.chemistry === 'nimh';
  const cellsOf = (place: string): number =>
    cellsAt(pack, { kind: 'module', index: pack.modules.findIndex((m) => m.id === place) });
  const cells = way === 'wake' ? cellsAt(pack, { kind: 'pack' }) : cellsOf(places[0] ?? pack.modules[0]!.id);
  const free = bench.filter((i) => i.busyWith === null);
  const able = (id: RecipeId): Instrument[] =>
    free.filter((i) => against(pack.profile, id, cells, i).length === 0);
  const onto = ontoChannels(way, places, able);
  const most = mostPlaces(way, able);
  const first: RecipeId = way === 'transfer' ? 'give' : way;
  const channels =
    way === 'transfer' ? ontoChannels(way, ['a', 'b'], able).map((o) => o.instrument) : able(first);
  const complete = way === 'transfer' ? onto.length === 2 : onto.length > 0;
  const busy = new Set(runs.filter((r) => r.state !== 'done').map((r) => r.place));
  const offered = pack.modules.map((m) => m.id).filter((id) => !busy.has(id));
  const recipe = recipesFor(pack.profile, channels[0] ?? { mostA: null }).find((r) => r.id === first);
  const plan = recipe ? planOf(recipe, pack.profile, cells) : [];
  const asks = way === 'recover' || way === 'wake';
  const choose = (keys: Iterable<unknown>): void => {
    const next = [...keys].map(String);
    // In the order they were pressed: that is the order of the channels.
    setPlaces([...places.filter((p) => next.includes(p)), ...next.filter((p) => !places.includes(p))]);
    setSaid('');
  };
  const start = async (): Promise<void> => {
    const failed: typeof problems = [];
    const begun: string[] = [];
    const tell = async (names: string[], path: string, body: object): Promise<void> => {
      const problem = await write.tell(path, body);
      if (problem) failed.push({ place: names.join(' into ') || 'The pack', ...problem });
      else begun.push(...names);
    };
    if (way === 'transfer') {
      const [gives, takes] = onto;
      const body: StartTransfer = {
        from: gives!.place,
        into: takes!.place,
        giveWithId: gives!.instrument.id,
        takeWithId: takes!.instrument.id,
        looked: true,
      };
      await tell([gives!.place, takes!.place], '/bench/transfers', body);
    } else if (way === 'wake') {
      const body: StartWake = { instrumentId: onto[0]!.instrument.id, looked: true, recovery };
      await tell([], '/bench/wake', body);
    } else
      for (const { place, instrument } of onto) {
        const body: StartRun = {
          place,
          recipe: way,
          instrumentId: instrument.id,
          looked: true,
          recovery: way === 'recover' ? recovery : null,
        };
        await tell([place], '/bench/supervised', body);
      }
    setProblems(failed);
    // What was pressed meanwhile stays pressed.
    setPlaces((now) => now.filter((p) => !begun.includes(p)));
    setSaid(
      failed.length === 0
        ? `${begun.join(', ') || 'The pack'}: on.`
        : begun.length > 0
          ? `${begun.join(', ')}: on.`
          : '',
    );
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
            <Select
              value={way}
              onChange={(e) => {
                setWay(e.target.value as Way);
                setProblems([]);
              }}
            >
              {waysOf(pack.profile, bench).map((r) => (
                <option key={r.id} value={r.id}>
                  {r.name}
                </option>
              ))}
            </Select>
          </Field>
          <span style={{ flex: '2 1 260px' }}>
            {recipe?.at
              ? ''
              : channels.length === 0 || (way === 'transfer' && channels.length < 2)
                ? free.length === 0
                  ? `All ${bench.length} channels are at work.`
                  : way === 'transfer'
                    ? 'Two free channels are needed: one that discharges, one that charges.'
                    : against(pack.profile, first, cells, free[0]!).join(' ')
                : `${channels.length} of ${bench.length} channels free: ${channels.map((i) => i.name).join(', ')}.`}
          </span>
        </Row>
        {recipe && (
          <Mute>
            {recipe.says}{' '}
            {plan
              .map(
                (s) =>
                  `${upper(s.name)}${s.currentA > 0 ? ` ${fixed(s.currentA, s.currentA < 0.95 ? 2 : 1)} A` : ''}, at most ${duration((s.lastsS ?? s.limits.mostS) / 3600)}${s.mode === 'discharge' ? `, to ${fixed(s.limits.leastV, 2)} V` : s.mode === 'charge' ? `, up to ${fixed(s.limits.mostV, 2)} V and ${temperature(s.limits.mostC)}` : ''}.`,
              )
              .join(' ')}
          </Mute>
        )}
        {recipe?.at && (
          <Row>
            <LinkButton to={`/jobs/${job.number}/${recipe.at}`}>
              {recipe.at === 'insulation' ? 'To Insulation' : 'To Rebuild'}
            </LinkButton>
          </Row>
        )}
        <Schools way={way} schools={beside?.schools ?? []} />
        {way !== 'wake' && !recipe?.at && (
          <Chips
            selectionMode="multiple"
            selectedKeys={places}
            onSelectionChange={choose}
            aria-label={
              way === 'transfer'
                ? 'The module that gives, then the one that takes'
                : nimh
                  ? 'Modules, in the order of the channels'
                  : 'Modules'
            }
          >
            {offered.map((id) => {
              const on = onto.find((o) => o.place === id);
              const does = way === 'transfer' && on ? (on.recipe === 'give' ? ' gives' : ' takes') : '';
              return (
                <ToggleButton key={id} id={id} isDisabled={!places.includes(id) && places.length >= most}>
                  {id}
                  {does}
                  {on ? ` on ${on.instrument.name}` : left.includes(id) ? '' : ' (fits)'}
                </ToggleButton>
              );
            })}
          </Chips>
        )}
        {asks && (
          <Recovery
            answers={recovery}
            onChange={setRecovery}
            what={way === 'wake' ? 'Strip-down is the usual answer.' : 'Scrap is the usual answer.'}
          />
        )}
        {!recipe?.at && (
          <>
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
              <Button isDisabled={write.busy || !looked || !complete} onPress={() => void start()}>
                {!complete
                  ? 'Start'
                  : way === 'wake'
                    ? 'Start on the pack'
                    : way === 'transfer'
                      ? `Start ${onto[0]!.place} into ${onto[1]!.place}`
                      : `Start ${onto.length === 1 ? onto[0]!.place : `${onto.length} of them`}`}
              </Button>
              {said !== '' && <span role="status">{said}</span>}
              <Mute>
                Job {job.number}: every output comes off at Stop, at a crossed limit, and when nobody watches.
              </Mute>
            </Row>
          </>
        )}
      </Stack>
    </Sheet>
  );
}

const SCHOOL_NAMES: Record<School, string> = { 'slow-balance': 'slow balance', 'hard-charge': 'hard charge' };

/** Workshops differ about how a worn stick is brought back: what each way has brought here. */
function Schools({ way, schools }: { way: Way; schools: Beside['schools'] }) {
  if (!(SCHOOLS as readonly string[]).includes(way)) return null;
  const gain = (v: number): string => `${signed(v * 100, 0)} %`;
  return (
    <span>
      In this workshop:{' '}
      {SCHOOLS.map((s) => {
        const own = schools.find((x) => x.school === s);
        if (!own) return `${SCHOOL_NAMES[s]} not measured`;
        const span = own.interval
          ? `, likely ${gain(own.interval.low)} to ${gain(own.interval.high)}`
          : ', too few to tell';
        return `${SCHOOL_NAMES[s]} ${gain(own.median)} a cycle (${own.n} measured${span})`;
      }).join('; ')}
      .
    </span>
  );
}
