import type { LookingBack } from '@cellmend/contract/learn';
import type { Person } from '@cellmend/contract/people';
import { Link } from 'react-router';
import styled from 'styled-components';
import { Awaiting } from '../shell/Awaiting';
import { WorkshopFrame } from '../shell/Header';
import { Columns, DataTable, Mute, Page, Sheet, Stack } from '../ui/parts';
import { fixed, percent, upper } from '../ui/words';
import { Memory } from './Memory';
import { useLookingBack, verdictWords } from './WasItSo';

type Share = LookingBack['verdicts'][number]['share'];

const Track = styled.div`
  position: relative;
  height: 14px;
  background: var(--chip);
  border-radius: 3px;
`;
const Reach = styled.i<{ $from: number; $to: number }>`
  position: absolute;
  top: 3px;
  bottom: 3px;
  left: ${(p) => p.$from * 100}%;
  width: ${(p) => Math.max(1, (p.$to - p.$from) * 100)}%;
  background: var(--mute);
  border-radius: 2px;
`;
const Point = styled.i<{ $at: number }>`
  position: absolute;
  top: 0;
  bottom: 0;
  width: 4px;
  margin-left: -2px;
  left: ${(p) => p.$at * 100}%;
  background: var(--ink);
`;

const Beside = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  align-items: center;
  > :first-child {
    flex: 1 1 110px;
  }
  > :last-child {
    flex: 0 0 108px;
    white-space: nowrap;
  }
`;
/** A share with its interval, drawn from none to all. */
function Bar({ of }: { of: Share }) {
  return (
    <Beside>
      <Track role="img" aria-label={`${percent(of.value)}, ${span(of)}`}>
        <Reach $from={of.low} $to={of.high} />
        <Point $at={of.value} />
      </Track>
      <Mute>{span(of)}</Mute>
    </Beside>
  );
}
const counted = (s: Share): string => `${s.hits} of ${s.n}`;
const span = (s: Share): string => `${percent(s.low)} to ${percent(s.high)}`;

const FORETOLD: Record<LookingBack['forecasts'][number]['what'], string> = {
  'bench hours': 'Runs on the bench took',
  'bench days': 'Plans of the bench took',
  'charge to level': 'Newcomers took, to come level,',
  'charge after repair': 'Packs gave after their repair',
  quote: 'Repairs came to',
};

/** What this workshop's own jobs say of its verdicts, repairs, donors and forecasts. */
export function LookingBackPage({ person }: { person: Person }) {
  const { data } = useLookingBack();
  if (!data)
    return (
      <WorkshopFrame person={person}>
        <Awaiting question="Looking back" />
      </WorkshopFrame>
    );
  const { verdicts, calibration, back, models, minutes } = data;
  return (
    <WorkshopFrame person={person}>
      <Page>
        <h1>What did our verdicts and repairs turn out to be?</h1>
        <Columns>
          <Sheet aria-label="Verdicts">
            <Stack>
              <h2>Verdicts, once somebody looked</h2>
              {verdicts.length === 0 ? (
                <Mute>
                  None answered yet. Strip down and Hand over ask of each verdict whether it was so, in one
                  tap.
                </Mute>
              ) : (
                <DataTable>
                  <thead>
                    <tr>
                      <th>Verdict</th>
                      <th className="r">Held</th>
                      <th>19 times of 20 between</th>
                    </tr>
                  </thead>
                  <tbody>
                    {verdicts.map((v) => (
                      <tr key={v.verdict}>
                        <td>
                          <b>{upper(verdictWords(v.verdict))}</b>
                        </td>
                        <td className="r">{counted(v.share)}</td>
                        <td>
                          <Bar of={v.share} />
                        </td>
                      </tr>
                    ))}
                  </tbody>
                </DataTable>
              )}
              {data.unclear > 0 && <Mute>{data.unclear} could not be told and count for neither side.</Mute>}
            </Stack>
          </Sheet>
          <Sheet aria-label="How sure">
            <Stack>
              <h2>How sure, and how right</h2>
              {calibration.bins.length === 0 ? (
                <Mute>Told once verdicts are answered.</Mute>
              ) : (
                <DataTable>
                  <thead>
                    <tr>
                      <th>Said at</th>
                      <th className="r">Held</th>
                      <th>19 times of 20 between</th>
                    </tr>
                  </thead>
                  <tbody>
                    {calibration.bins.map((b) => (
                      <tr key={b.from}>
                        <td>{percent(b.said)}</td>
                        <td className="r">{counted(b.was)}</td>
                        <td>
                          <Bar of={b.was} />
                        </td>
                      </tr>
                    ))}
                  </tbody>
                </DataTable>
              )}
              {calibration.error !== null && (
                <Mute>
                  On average what was said is {percent(calibration.error)} from what was. With few cases that
                  says little.
                </Mute>
              )}
            </Stack>
          </Sheet>
        </Columns>
        <Sheet aria-label="Come-backs">
          <Stack>
            <h2>Back within a year</h2>
            {back === null ? (
              <Mute>No job was handed over as repaired yet.</Mute>
            ) : (
              <>
                <p>
                  <b>{counted(back)} repaired are back</b>, <Mute>{span(back)} by that many cases.</Mute>
                </p>
                <DataTable>
                  <thead>
                    <tr>
                      <th>What was done</th>
                      <th className="r">Back</th>
                      <th>19 times of 20 between</th>
                    </tr>
                  </thead>
                  <tbody>
                    {data.backBy.map((b) => (
                      <tr key={b.measure}>
                        <td>{upper(b.measure)}</td>
                        <td className="r">{counted(b.share)}</td>
                        <td>
                          <Bar of={b.share} />
                        </td>
                      </tr>
                    ))}
                    {data.donors.map((d) => (
                      <tr key={d.origin}>
                        <td>
                          Donor <Mute>from {d.origin}</Mute>
                        </td>
                        <td className="r">{counted(d.back)}</td>
                        <td>
                          <Bar of={d.back} />
                        </td>
                      </tr>
                    ))}
                  </tbody>
                </DataTable>
                {data.backJobs.map((j) => (
                  <p key={j.job}>
                    <Link to={`/jobs/${j.job}/hand-over`}>Job {j.job}</Link> {j.title}: <Mute>{j.why}</Mute>
                  </p>
                ))}
              </>
            )}
          </Stack>
        </Sheet>
        <Columns>
          <Sheet aria-label="Places that fail">
            <Stack>
              <h2>Places that fail</h2>
              {models.every((m) => m.places.length === 0) && (
                <Mute>Told by pack, once verdicts there were confirmed.</Mute>
              )}
              {models
                .filter((m) => m.places.length > 0)
                .map((m) => (
                  <div key={m.profileId}>
                    <h3>
                      {m.name} <Mute>{m.jobs === 1 ? 'one job' : `${m.jobs} jobs`}</Mute>
                    </h3>
                    <DataTable>
                      <tbody>
                        {m.places.slice(0, 12).map((p) => (
                          <tr key={p.place}>
                            <td>
                              <b className="n">{p.place}</b>
                            </td>
                            <td className="r">{counted(p.share)}</td>
                            <td>
                              <Bar of={p.share} />
                            </td>
                          </tr>
                        ))}
                      </tbody>
                    </DataTable>
                  </div>
                ))}
            </Stack>
          </Sheet>
          <Sheet aria-label="Forecasts">
            <Stack>
              <h2>Forecast and actual</h2>
              {minutes === null ? (
                <Mute>Strip down: told once three jobs were ticked with their minutes.</Mute>
              ) : (
                <p>
                  Strip down took <b>{fixed(minutes.ratio, 2)} times</b> the minutes of the plan in the middle
                  of {minutes.n} jobs; four of five lie between {fixed(minutes.low, 2)} and{' '}
                  {fixed(minutes.high, 2)}.
                </p>
              )}
              {data.forecasts.map((f) => (
                <p key={f.what}>
                  {FORETOLD[f.what]} <b>{fixed(f.ratio, 2)} times</b> what was foretold in the middle of {f.n}
                  ; four of five lie between {fixed(f.low, 2)} and {fixed(f.high, 2)}.
                </p>
              ))}
              <h3>How jobs ended</h3>
              {Object.keys(data.endings).length === 0 && <Mute>None has ended yet.</Mute>}
              <DataTable>
                <tbody>
                  {Object.entries(data.endings)
                    .sort((a, b) => b[1] - a[1])
                    .map(([ending, n]) => (
                      <tr key={ending}>
                        <td>{upper(ending)}</td>
                        <td className="r">{n}</td>
                      </tr>
                    ))}
                </tbody>
              </DataTable>
            </Stack>
          </Sheet>
        </Columns>
        <Memory person={person} />
      </Page>
    </WorkshopFrame>
  );
}
