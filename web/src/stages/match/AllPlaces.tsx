import type { StockPart } from '@cellmend/contract/stock';
import {
  MATCH_TOLERANCE,
  sensedBlocks,
  stayingCandidates,
  typicalOfStaying,
  type PlacesAnswer,
  type PlacesAsk,
} from '@cellmend/core/match';
import { valueOf } from '@cellmend/core/pack';
import { Lock, LockOpen } from 'lucide-react';
import type { ReactNode } from 'react';
import styled from 'styled-components';
import { decisionOf, spreadOf } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { SignNote, useSigning } from '../../shell/signing';
import { useOfferDrops } from '../../shell/dropOnMap';
import { useDraft } from '../../shell/useDraft';
import { useWorker } from '../../shell/useWorker';
import { ToggleButton } from 'react-aria-components';
import { Chips } from '../../ui/Chips';
import { Select } from '../../ui/Field';
import {
  Answer,
  Button,
  LinkButton,
  Mute,
  NextBar,
  Page,
  PlainList,
  ProblemNote,
  Row,
  Sheet,
  Stack,
} from '../../ui/parts';
import { fixed, since } from '../../ui/words';
import { useBench } from '../bench/useBench';
import { DraggedDonor } from './DraggedDonor';
import { leftBecause, oldFigures, openFacts } from './fits';
import { Schools } from './Schools';
import { Swaps } from './Swaps';
import type { MatchAnswer, MatchQuestion } from './matchWorker';
import { useOnward } from '../../shell/useOnward';

const work = (): Worker => new Worker(new URL('./matchWorker.ts', import.meta.url), { type: 'module' });
type Aim = PlacesAsk['aim'];
const AIMS: readonly { aim: Aim; name: string; says: string }[] = [
  {
    aim: 'weakest-first',
    name: 'Largest weakest',
    says: 'The least of them is as large as it can be, and none is larger than it need be.',
  },
  {
    aim: 'alike',
    name: 'Twins',
    says: 'Alike in capacity and resistance, with each other and with what stays.',
  },
];

const BLOCKS = {
  aim: 'blocks' as const,
  name: 'Sensed blocks agree',
  says: 'Modules that one channel reads together add up alike from block to block.',
};

const Card = styled.button<{ $picked: boolean }>`
  text-align: left;
  background: var(--sheet);
  color: var(--ink);
  border: ${(p) => (p.$picked ? '2px solid var(--mat-text)' : '1px solid var(--line)')};
  padding: ${(p) => (p.$picked ? '11px 15px' : '12px 16px')};
  border-radius: 4px;
  cursor: pointer;
  display: grid;
  gap: 4px;
  .big {
    font-size: var(--t-xl);
    font-weight: 700;
  }
`;
const Two = styled.div`
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(200px, 1fr));
  gap: 12px;
  @media (max-width: 640px) {
    grid-template-columns: 1fr;
  }
`;
const Line = styled.li`
  display: grid;
  grid-template-columns: 64px minmax(150px, 220px) minmax(0, 1fr) auto;
  gap: 6px 14px;
  align-items: center;
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 8px 14px;
  @media (max-width: 640px) {
    grid-template-columns: 64px minmax(0, 1fr) auto;
    > :nth-child(3) {
      grid-column: 1 / -1;
      grid-row: 2;
    }
  }
`;

/** Donors for all places together: by two aims, with locks by hand, signed in one. */
export function AllPlaces({
  question,
  places,
  donors,
  pick,
}: {
  question: string;
  places: string[];
  donors: StockPart[];
  pick: ReactNode;
}) {
  const { job, pack, findings } = useJobView();
  const signed = decisionOf(job, 'match')?.body.choices ?? [];
  const [aim, setAim] = useDraft<Aim>(`${job.number}.match-aim`, 'weakest-first');
  const [locks, setLocks] = useDraft<Record<string, string>>(`${job.number}.match-locks`, {});
  const [where, setWhere] = useDraft<'reach' | 'hot'>(`${job.number}.match-where`, 'reach');
  const signing = useSigning('match');
  const onward = useOnward();
  const report = spreadOf(findings, 'before')?.report ?? null;
  const sizeOf = (p: string): number => pack.modules.find((m) => m.id === p)!.groupIndices.length;
  const groups = places.map(sizeOf);
  const sorted = donors.map((s) => ({ s, why: leftBecause(s, pack, groups, job.number) }));
  const able = sorted.filter((x) => x.why === '').map((x) => x.s);
  const left = sorted.filter((x) => x.why !== '');
  const candidates = able.map((s) => ({
    id: s.id,
    groupCount: s.groupCount!,
    capacityAh: s.capacityAh!,
    resistanceMilliohm: s.resistanceMilliohm!,
    restVoltageV: s.restVoltageV ?? 0,
  }));
  const alone = useBench(job.number).data?.measuredAloneAh ?? {};
  const typical = typicalOfStaying(pack, report, alone, places);
  const typicalAh = valueOf(typical) ?? pack.profile.ratedCapacityAh;
  const typicalR = report?.resistanceMilliohm.measured
    ? report.resistanceMilliohm.value
    : pack.profile.nominalGroupResistanceMilliohm;
  const standing = Object.fromEntries(
    Object.entries(locks).filter(([p, id]) => places.includes(p) && able.some((s) => s.id === id)),
  );
  const stays = stayingCandidates(pack, report, alone, places);
  const blocks = sensedBlocks(pack, places, stays);
  const aims = blocks.length > 0 ? [...AIMS, BLOCKS] : AIMS;
  const both: MatchQuestion = {
    profile: pack.profile,
    asks: aims.map(({ aim: a }) => ({
      places,
      donors: candidates,
      staying: a === 'weakest-first' ? [] : stays,
      locks: standing,
      aim: a,
      arrange: where,
      tolerance: {
        capacityAh: MATCH_TOLERANCE.capacity * typicalAh,
        resistanceMilliohm: MATCH_TOLERANCE.resistance * typicalR,
      },
    })),
  };
  useOfferDrops(places, (place, id) => {
    const donor = able.find((s) => s.id === id);
    if (donor && donor.groupCount === sizeOf(place))
      setLocks({
        ...Object.fromEntries(Object.entries(standing).filter(([, x]) => x !== id)),
        [place]: id,
      });
  });
  const { answer: told, failed } = useWorker<MatchAnswer>(work, both);
  const answers = told && 'answers' in told ? told.answers : null;
  const problem = failed ? 'That could not be worked out.' : told && 'problem' in told ? told.problem : '';
  const at = Math.max(
    0,
    aims.findIndex((a) => a.aim === aim),
  );
  const answer = answers?.[at] ?? null;
  const label = (id: string | undefined): string => donors.find((d) => d.id === id)?.label ?? '';
  const leastOf = (a: PlacesAnswer | undefined): number | null =>
    a?.choice
      ? Math.min(...Object.values(a.choice).map((id) => candidates.find((c) => c.id === id)!.capacityAh))
      : null;
  const spreadOfChoice = (a: PlacesAnswer | undefined): number | null => {
    if (!a?.choice) return null;
    const all = Object.values(a.choice).map((id) => candidates.find((c) => c.id === id)!.capacityAh);
    return Math.max(...all) - Math.min(...all);
  };
  const same =
    answer?.choice &&
    places.every((p) => signed.some((c) => c.place === p && c.partId === answer.choice![p]));
  const sign = async (): Promise<void> => {
    const choices = places.map((place) => ({ place, partId: answer!.choice![place]! }));
    if (await signing.sign({ body: { topic: 'match', choices }, findingIds: [] }))
      onward(`/jobs/${job.number}/balance`);
  };
  const least = leastOf(answer ?? undefined);
  return (
    <Page>
      <h1>{question}</h1>
      {pick}
      <Answer
        tone={answer && !answer.choice ? 'suspect' : 'plain'}
        title={
          !answer
            ? 'Working it out …'
            : answer.choice
              ? `${places.length} donors of ${able.length} that fit`
              : `Not enough donors for ${places.length} places`
        }
        big={least === null ? undefined : `${fixed(least, 1)} A·h`}
        small={least === null ? undefined : 'the least of them'}
      >
        {answer && !answer.choice
          ? answer.reasons.join(' ')
          : `${answer?.proved ? 'No choice does better. ' : ''}${
              typical.measured && report?.resistanceMilliohm.measured
                ? 'What stays counts where twins are sought.'
                : 'What stays is not measured: only the donors are compared with each other.'
            } ${
              where === 'hot'
                ? 'The strongest lies where it is hottest, in the middle of the pack.'
                : 'The weakest lies where it is reached soonest.'
            }`}
      </Answer>
      {problem !== '' && <ProblemNote what={problem} accepted="Another lock, or fewer." />}
      <Two role="group" aria-label="What is aimed at">
        {aims.map((a, i) => {
          const [lo, sp] = [leastOf(answers?.[i]), spreadOfChoice(answers?.[i])];
          return (
            <Card
              key={a.aim}
              type="button"
              $picked={aim === a.aim}
              aria-pressed={aim === a.aim}
              onClick={() => setAim(a.aim)}
            >
              <b>{a.name}</b>
              <span className="big n">
                {lo === null ? '–' : `${fixed(lo, 1)} A·h`}{' '}
                <small>{sp !== null && `spread ${fixed(sp, 1)}`}</small>
              </span>
              <Mute>{a.says}</Mute>
            </Card>
          );
        })}
      </Two>
      {aim !== 'blocks' && (
        <Chips
          selectionMode="single"
          disallowEmptySelection
          selectedKeys={[where]}
          onSelectionChange={(k) => setWhere([...k][0] as 'reach' | 'hot')}
          aria-label="Which goes where"
        >
          <ToggleButton id="reach">Weakest where it is reached soonest</ToggleButton>
          <ToggleButton id="hot">Strongest where it is hottest</ToggleButton>
        </Chips>
      )}
      <Sheet aria-label="By hand">
        <Stack $gap={8}>
          <h3>By hand: drag one onto its place on the map, and it stays there</h3>
          <Row $gap={8} style={{ flexWrap: 'wrap' }}>
            {able
              .filter((s) => !Object.values(standing).includes(s.id))
              .map((s) => (
                <DraggedDonor key={s.id} id={s.id} label={s.label} says={`${fixed(s.capacityAh!, 1)} A·h`} />
              ))}
          </Row>
        </Stack>
      </Sheet>
      <PlainList aria-label="Donors by place">
        {places.map((p) => {
          // What was put there by hand shows at once, while the rest is worked out.
          const id = standing[p] ?? answer?.choice?.[p];
          const s = donors.find((d) => d.id === id);
          const locked = standing[p] !== undefined;
          return (
            <Line key={p}>
              <b className="n">{p}</b>
              <Select
                aria-label={`Donor for ${p}`}
                value={id ?? ''}
                onChange={(e) => setLocks({ ...standing, [p]: e.target.value })}
              >
                {!id && <option value="">none</option>}
                {able
                  .filter(
                    (d) =>
                      d.groupCount === sizeOf(p) &&
                      (d.id === id || !Object.entries(standing).some(([q, x]) => q !== p && x === d.id)),
                  )
                  .map((d) => (
                    <option key={d.id} value={d.id}>
                      {d.label}
                    </option>
                  ))}
              </Select>
              <span>
                {s && (
                  <>
                    <span className="n">
                      {fixed(s.capacityAh!, 1)} A·h, {fixed(s.resistanceMilliohm!, 2)} mΩ
                    </span>{' '}
                    <Mute>
                      {answer && `reached in ${fixed(answer.reachMin[p] ?? 0, 0)} min`}
                      {s.origin && ` · ${s.origin}`}
                      {` · here ${since(s.place.at)}`}
                      {openFacts(s, pack).length > 0 && ` · not known: ${openFacts(s, pack).join(', ')}`}
                      {oldFigures(s).length > 0 && ` · measure again: ${oldFigures(s).join(', ')}`}
                    </Mute>
                  </>
                )}
              </span>
              <Button
                quiet
                aria-pressed={locked}
                aria-label={locked ? `Free ${p}` : `Keep ${label(id)} at ${p}`}
                isDisabled={!id}
                onPress={() => {
                  const others = Object.fromEntries(Object.entries(standing).filter(([q]) => q !== p));
                  setLocks(locked ? others : { ...standing, [p]: id! });
                }}
              >
                {locked ? <Lock size={17} aria-hidden /> : <LockOpen size={17} aria-hidden />}
              </Button>
            </Line>
          );
        })}
      </PlainList>
      <Schools />
      <Swaps report={report} donors={donors} alone={alone} />
      <Sheet aria-label="Left on the shelf">
        <Stack $gap={6}>
          <h3>Left on the shelf, and why</h3>
          {left.map(({ s, why }) => (
            <span key={s.id}>
              <b className="n">{s.label}</b> <Mute>{why}</Mute>
            </span>
          ))}
          {left.length === 0 && <Mute>Everything on the shelf could go in.</Mute>}
        </Stack>
      </Sheet>
      <SignNote signing={signing} />
      <NextBar>
        <div>
          <b>
            {same
              ? 'Signed as it stands.'
              : answer?.choice
                ? `Reserve these ${places.length} and plan their balance.`
                : 'Nothing to sign.'}
          </b>
          <br />
          {Object.keys(standing).length > 0 &&
            `${Object.entries(standing)
              .map(([p, id]) => `${label(id)} stays at ${p}`)
              .join(', ')}.`}
        </div>
        <Row>
          <Button
            quiet={same === true}
            isDisabled={!answer?.choice || !signing.may || signing.busy}
            onPress={() => void sign()}
          >
            {signed.length > 0 ? 'Sign again' : 'Sign choice'}
          </Button>
          {same && <LinkButton to={`/jobs/${job.number}/balance`}>Plan their balance</LinkButton>}
        </Row>
      </NextBar>
    </Page>
  );
}
