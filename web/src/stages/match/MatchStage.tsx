import type { AskOf } from '@cellmend/contract/findings';
import { listWords, placesOf } from '@cellmend/core/route';
import { ApiProblem } from '../../api/client';

import { TriangleAlert, X } from 'lucide-react';
import { Suspense, useState } from 'react';
import { ToggleButton } from 'react-aria-components';
import { decisionOf, spreadOf, useStock } from '../../api/hooks';
import { Awaiting } from '../../shell/Awaiting';
import { lazily } from '../../shell/lazily';
import { useJobView } from '../../shell/jobContext';
import { SignNote } from '../../shell/signing';
import { keepFinding, useTried } from '../../shell/useTried';
import { useDraft } from '../../shell/useDraft';
import { useBench } from '../bench/useBench';
import { LEAST_TOLD, useMemoryHere } from '../../learn/WasItSo';
import { Swaps } from './Swaps';
import { Chips } from '../../ui/Chips';
import { Answer, Button, LinkButton, Mute, NextBar, Page, ProblemNote, Row, Stack } from '../../ui/parts';
import { distanceUnit, inDistance, told } from '../../ui/units';
import { fixed, signed } from '../../ui/words';
import { staying } from '@cellmend/core/learn';
import type { Measured } from '@cellmend/core/pack';
import { kmOf } from '@cellmend/core/diagnosis';
import { Figure, measuredText } from '../../ui/Measured';
import type { StageProps } from '../props';
import { Donor, Told } from './DonorCard';
import { Unranked } from './Unranked';
import { useChoice, type PlaceProps } from './useChoice';
import { Before } from '../Before';

const AllPlaces = lazily<
  Parameters<(typeof import('./AllPlaces'))['AllPlaces']>[0],
  typeof import('./AllPlaces')
>(() => import('./AllPlaces'), 'AllPlaces');
const Schools = lazily<object, typeof import('./Schools')>(() => import('./Schools'), 'Schools');

/** Donors from the shelf for every place that is to be replaced, ranked by how near they are to the rest of this pack. */
export function MatchStage({ question }: StageProps) {
  const { job, findings } = useJobView();
  const { data: stock } = useStock();
  const [at, setAt] = useState<string | null>(null);
  const [together, setTogether] = useDraft(`${job.number}.match-together`, false);
  const spread = spreadOf(findings, 'before');
  const list = decisionOf(job, 'measures');
  const to = `/jobs/${job.number}`;
  if (!list)
    return (
      <Before question={question} title="Nothing decided yet" to={`${to}/findings`} action="To the findings">
        Which module comes out is decided on the findings; then the shelf is ranked against what stays.
      </Before>
    );
  const places = placesOf(list.body.measures, 'replace-module');
  if (places.length === 0)
    return (
      <Before question={question} title="No module comes out" to={`${to}/findings`} action="To the findings">
        The decision was “{listWords(list.body.measures)}”, so nothing has to match.
      </Before>
    );
  if (!stock) return <Awaiting question={question} />;
  const donors = stock.filter((s) => s.kind === 'module' && s.place.kind !== 'quarantine');
  const choices = decisionOf(job, 'match')?.body.choices ?? [];
  const open = places.find((p) => !choices.some((c) => c.place === p));
  const place = at !== null && places.includes(at) ? at : (open ?? places[0]!);
  if (donors.length === 0)
    return (
      <Before question={question} title="The shelf is empty" to="/stock" action="Take a module in">
        No donor modules are in stock. Take one in with what is known of it; what was measured can follow.
      </Before>
    );
  const how = places.length > 1 && (
    <Chips
      selectionMode="single"
      disallowEmptySelection
      selectedKeys={[together ? 'all' : 'one']}
      onSelectionChange={(k) => setTogether([...k][0] === 'all')}
      aria-label="How places are filled"
    >
      <ToggleButton id="one">One by one</ToggleButton>
      <ToggleButton id="all">All at once</ToggleButton>
    </Chips>
  );
  if (together && places.length > 1)
    return (
      <Suspense fallback={<Awaiting question={question} />}>
        <AllPlaces question={question} places={places} donors={donors} pick={how} />
      </Suspense>
    );
  const pick = places.length > 1 && (
    <>
      {how}
      <Chips
        selectionMode="single"
        disallowEmptySelection
        selectedKeys={[place]}
        onSelectionChange={(k) => setAt(String([...k][0]))}
        aria-label="Place to find a donor for"
      >
        {places.map((p) => (
          <ToggleButton key={p} id={p}>
            {p}
            {choices.some((c) => c.place === p) && ' ✓'}
          </ToggleButton>
        ))}
      </Chips>
    </>
  );
  if (!spread)
    return (
      <Unranked key={place} question={question} place={place} pick={pick} donors={donors} places={places} />
    );
  return (
    <Ranked
      key={place}
      question={question}
      place={place}
      pick={pick}
      places={places}
      spreadId={spread.id}
      // What is chosen for another place, or held for another job, is not offered here.
      donors={donors.filter(
        (s) =>
          !choices.some((c) => c.partId === s.id && c.place !== place) &&
          (s.reserved === null || s.reserved.job === job.number),
      )}
    />
  );
}

function Ranked({ question, place, pick, places, spreadId, donors }: PlaceProps & { spreadId: string }) {
  const { job, findings, pack } = useJobView();
  const ask: AskOf<'match'> = {
    topic: 'match',
    spreadFindingId: spreadId,
    moduleId: place,
    stockIds: donors.map((s) => s.id).sort(),
    temperatureC: null,
  };
  const { result: rows, problem } = useTried(ask);
  const { data: memory } = useMemoryHere(job.number);
  // Beside the ranking, which goes by what was measured.
  const stayed = (revision: string | undefined): string => {
    const share = memory?.on ? staying(memory.model, revision) : null;
    return share && share.n >= LEAST_TOLD
      ? `${share.hits} of ${share.n} of revision ${revision!.trim()} stayed in such packs`
      : '';
  };
  const alone = useBench(job.number).data?.measuredAloneAh ?? {};
  const { signing, signed: choice, sign } = useChoice(place, places);
  const [picked, setPicked] = useState<string | null>(choice?.partId ?? null);
  const [keeping, setKeeping] = useState<string | null>(null);
  if (problem)
    return (
      <Page>
        <h1>{question}</h1>
        {pick}
        <ProblemNote what={problem.message} />
      </Page>
    );
  if (!rows) return <Awaiting question={question} />;
  const best = rows.find((r) => r.fits);
  const chosen = rows.find((r) => r.donor.id === (picked ?? best?.donor.id));
  const report = spreadOf(findings, 'before')!.report;
  const km = (ah: Measured): string => {
    const range = kmOf(ah, pack);
    return range.measured ? measuredText(inDistance(range), distanceUnit()) : '';
  };
  const share = (v: number | null, digits: number): string =>
    v === null ? 'the pack’s is not measured' : `${signed(v * 100, digits)} %`;
  const keepAndSign = async (): Promise<void> => {
    setKeeping(null);
    try {
      const finding = await keepFinding(job.number, ask);
      await sign(chosen!.donor.id, [finding.id]);
    } catch (e) {
      setKeeping(e instanceof ApiProblem ? e.message : 'The server is away. Sign again: it is stored once.');
    }
  };
  return (
    <Page>
      <h1>{question}</h1>
      {pick}
      {best ? (
        <Answer
          tone="good"
          title={`${best.donor.label} fits the place of ${place} best`}
          big={best.usableAh.measured ? measuredText(best.usableAh, 'A·h') : undefined}
          small={
            best.usableAh.measured
              ? `usable when level${km(best.usableAh) && `, ${km(best.usableAh)}`}`
              : 'gain not measured'
          }
        >
          {best.capacityDeviation === null
            ? 'The capacity of the rest of this pack is not measured: the donor is ranked by what is known.'
            : `It holds ${share(best.capacityDeviation, 1)} against the rest of this pack.`}
          {best.resistanceDeviation !== null &&
            ` Its resistance is ${share(best.resistanceDeviation, 0)} off.`}
          {report.usableAh.measured && ` The pack gives ${measuredText(report.usableAh, 'A·h')} now.`}
        </Answer>
      ) : (
        <Answer tone="suspect" title={`Nothing on the shelf fits the place of ${place}`}>
          Each donor has an obstacle; see below.
        </Answer>
      )}
      <Stack $gap={8} role="group" aria-label="Donor modules">
        {rows.map((r, i) => (
          <Donor
            key={r.donor.id}
            $picked={chosen?.donor.id === r.donor.id}
            isDisabled={!r.fits}
            onPress={() => setPicked(r.donor.id)}
            aria-pressed={chosen?.donor.id === r.donor.id}
          >
            <div>
              <div className="label n">{r.donor.label}</div>
              <div className="rank">
                {r.fits ? (i === 0 ? 'nearest twin' : `rank ${i + 1}`) : 'does not fit'}
              </div>
            </div>
            <div>
              <dl>
                <Told
                  name="Capacity"
                  value={r.donor.capacityAh}
                  unit="A·h"
                  digits={1}
                  beside={share(r.capacityDeviation, 1)}
                  taken={r.donor.taken?.capacityAh}
                />
                <Told
                  name="Resistance per group"
                  value={r.donor.resistanceMilliohm}
                  unit="mΩ"
                  digits={2}
                  beside={share(r.resistanceDeviation, 0)}
                  taken={r.donor.taken?.resistanceMilliohm}
                />
                <Told
                  name="Rest voltage"
                  value={r.donor.restVoltageV}
                  unit="V"
                  digits={2}
                  taken={r.donor.taken?.restVoltageV}
                  beside={
                    r.voltageDeviationMv === null ? '' : `${signed(r.voltageDeviationMv, 0)} mV a group`
                  }
                />
                <div>
                  <dt>Usable with it</dt>
                  <dd>
                    <Figure of={r.usableAh} unit="A·h" digits={1} />
                    <small>{km(r.usableAh)}</small>
                  </dd>
                </div>
              </dl>
              <p>
                <Mute>{[r.donor.origin, stayed(r.donor.revision)].filter(Boolean).join(' · ')}</Mute>
              </p>
              {r.obstacles.map((o) => (
                <p key={o}>
                  <X size={15} aria-hidden />
                  {o}
                </p>
              ))}
              {r.remarks.map((o) => (
                <p key={o}>
                  <TriangleAlert size={15} aria-hidden />
                  {told(o)}
                </p>
              ))}
            </div>
          </Donor>
        ))}
      </Stack>
      <Suspense>
        <Schools />
      </Suspense>
      <Swaps report={report} donors={donors} alone={alone} />
      {keeping && <ProblemNote what={keeping} />}
      <SignNote signing={signing} />
      <NextBar>
        <div>
          <b>{chosen ? `${chosen.donor.label} for ${place}` : 'Pick a donor'}</b>
          <br />
          {chosen &&
            chosen.balanceAh !== null &&
            `It has to move ${fixed(Math.abs(chosen.balanceAh), 1)} A·h to come level with the pack as it stood at the end of the scan.`}
        </div>
        <Row>
          {choice && (
            <LinkButton $quiet to={`/jobs/${job.number}/balance`}>
              Balance
            </LinkButton>
          )}
          <Button
            isDisabled={!chosen?.fits || !signing.may || signing.busy}
            onPress={() => void keepAndSign()}
          >
            {choice ? 'Sign again' : 'Sign choice'}
          </Button>
        </Row>
      </NextBar>
    </Page>
  );
}
