import type { Person } from '@cellmend/contract/people';
import type { VehicleHistory } from '@cellmend/contract/jobs';
import { useState } from 'react';
import { Link, useParams } from 'react-router';
import useSWR from 'swr';
import { ApiProblem, get } from '../api/client';
import { Awaiting } from '../shell/Awaiting';
import { WorkshopFrame } from '../shell/Header';
import { useDraft } from '../shell/useDraft';
import { useStockWrite } from '../stock/useStockWrite';
import { Field, Input } from '../ui/Field';
import { FormEnd } from '../ui/FormEnd';
import { lazyChart, type PropsOf } from '../ui/lazyChart';
import { Button, DataTable, LinkButton, Mute, Page, ProblemNote, Row, Sheet, Stack } from '../ui/parts';
import { odometer } from '../ui/units';
import { day, fixed, percent } from '../ui/words';

const OverYears = lazyChart<PropsOf<typeof import('./OverYears').OverYears>, typeof import('./OverYears')>(
  () => import('./OverYears'),
  'OverYears',
  230,
);

/** One vehicle: how its pack did over the years, job by job, and what it is called. */
export function VehiclePage({ person }: { person: Person }) {
  const { id } = useParams();
  const { data, error } = useSWR<VehicleHistory, unknown>(`/vehicles/${id}`, get);
  const [correcting, setCorrecting] = useState(false);
  if (!data)
    return (
      <WorkshopFrame person={person}>
        {error instanceof ApiProblem ? (
          <Page>
            <ProblemNote what={error.message} />
            <LinkButton to="/vehicles">To the vehicles</LinkButton>
          </Page>
        ) : (
          <Awaiting question="Vehicle" />
        )}
      </WorkshopFrame>
    );
  const { vehicle, measured, corrections, parts } = data;
  const rows = [...measured].sort((a, b) => (a.at < b.at ? 1 : -1));
  const held = rows.filter((r) => r.capacityAh !== null);
  return (
    <WorkshopFrame person={person}>
      <Page>
        <Row>
          <h1 style={{ flex: 1 }}>
            {vehicle.name} <Mute>{vehicle.plate ?? 'no plate'}</Mute>
          </h1>
          {person.mayWrite && !correcting && (
            <Button quiet onPress={() => setCorrecting(true)}>
              Correct name or plate
            </Button>
          )}
          <LinkButton $quiet to="/vehicles">
            All vehicles
          </LinkButton>
        </Row>
        {correcting && (
          <Sheet>
            <Correct vehicle={vehicle} onDone={() => setCorrecting(false)} />
          </Sheet>
        )}
        <Sheet>
          <Stack>
            <h2>What each job measured</h2>
            {new Set(held.map((r) => r.at.slice(0, 10))).size > 1 && <OverYears rows={held} />}
            {rows.length === 0 ? (
              <p>No record of this vehicle was read yet.</p>
            ) : (
              <DataTable>
                <thead>
                  <tr>
                    <th>Job</th>
                    <th>Odometer</th>
                    <th>Capacity</th>
                    <th>Of its rating</th>
                    <th>Delta near full</th>
                    <th>Delta near empty</th>
                    <th>What it said</th>
                  </tr>
                </thead>
                <tbody>
                  {rows.map((r) => (
                    <tr key={`${r.job} ${r.role}`}>
                      <td>
                        <Link to={`/jobs/${r.job}/findings`}>Job {r.job}</Link>
                        {r.role === 'after' && ', after'}
                        <br />
                        <Mute>
                          {day(r.at)}
                          {vehicle.packs.length > 1 && `, ${r.packLabel}`}
                        </Mute>
                      </td>
                      <td>
                        {r.odometerKm === null ? <Mute>not written down</Mute> : odometer(r.odometerKm)}
                      </td>
                      <td>
                        <Spanned of={r.capacityAh} say={(v) => `${fixed(v, 1)} A·h`} />
                      </td>
                      <td>
                        <Spanned of={r.healthFraction} say={(v) => percent(v)} />
                      </td>
                      <td>{mv(r.deltaNearFullMv)}</td>
                      <td>{mv(r.deltaNearEmptyMv)}</td>
                      <td>{r.headline}</td>
                    </tr>
                  ))}
                </tbody>
              </DataTable>
            )}
          </Stack>
        </Sheet>
        {parts.length > 0 && (
          <Sheet>
            <Stack>
              <h2>Parts over the years</h2>
              <DataTable>
                <thead>
                  <tr>
                    <th>Place</th>
                    <th>Part</th>
                    <th>Went in</th>
                    <th>Came out</th>
                    <th>Now</th>
                  </tr>
                </thead>
                <tbody>
                  {parts.map((p, i) => (
                    <tr key={i}>
                      <td>
                        <b>{p.place}</b>
                        {vehicle.packs.length > 1 && <Mute> of {p.pack}</Mute>}
                      </td>
                      <td>
                        {p.label}
                        {p.differs && (
                          <>
                            <br />
                            <Mute>Differs from its own modules: {p.differs}</Mute>
                          </>
                        )}
                      </td>
                      <td>{p.in ? <InJob of={p.in} /> : <Mute>came with it</Mute>}</td>
                      <td>{p.out ? <InJob of={p.out} /> : <Mute>in it</Mute>}</td>
                      <td>{p.now}</td>
                    </tr>
                  ))}
                </tbody>
              </DataTable>
            </Stack>
          </Sheet>
        )}
        <Sheet>
          <Stack>
            <h2>Its jobs and packs</h2>
            <ul style={{ margin: 0, paddingLeft: 20 }}>
              {vehicle.jobs.map((j) => (
                <li key={j.number}>
                  <Link to={`/jobs/${j.number}/hand-over`}>Job {j.number}</Link> {j.title},{' '}
                  <Mute>
                    {day(j.openedAt)}, {j.ending ?? 'open'}
                  </Mute>
                </li>
              ))}
              {vehicle.packs.map((p) => (
                <li key={p.id}>
                  Pack {p.label}, <Link to={`/packs/${p.profileId}`}>{p.profile}</Link>
                  {!p.now && <Mute>, no longer in it</Mute>}
                </li>
              ))}
            </ul>
            {corrections.map((c) => (
              <p key={c.at}>
                <Mute>
                  {day(c.at)}, {c.by}:
                </Mute>{' '}
                {c.says}
              </p>
            ))}
          </Stack>
        </Sheet>
      </Page>
    </WorkshopFrame>
  );
}

function InJob({ of }: { of: { at: string; job: number | null } }) {
  return (
    <>
      {day(of.at)}
      <br />
      {of.job !== null && <Link to={`/jobs/${of.job}/hand-over`}>Job {of.job}</Link>}
    </>
  );
}

const mv = (v: number | null) => (v === null ? <Mute>not read</Mute> : `${fixed(v, 0)} mV`);

function Spanned({
  of,
  say,
}: {
  of: { value: number; low: number; high: number } | null;
  say: (v: number) => string;
}) {
  if (!of) return <Mute>not measured</Mute>;
  return (
    <>
      {say(of.value)}
      <br />
      <Mute>
        {say(of.low)} to {say(of.high)}
      </Mute>
    </>
  );
}

function Correct({ vehicle, onDone }: { vehicle: VehicleHistory['vehicle']; onDone: () => void }) {
  const [typed, setTyped, clear] = useDraft(`vehicle.${vehicle.id}`, {
    name: vehicle.name,
    plate: vehicle.plate ?? '',
    reason: '',
  });
  const write = useStockWrite('/vehicles');
  const keep = async (): Promise<void> => {
    if (await write.run(`/vehicles/${vehicle.id}/facts`, typed)) {
      clear();
      onDone();
    }
  };
  return (
    <Stack>
      <Row>
        <Field style={{ flex: 2 }}>
          Name
          <Input value={typed.name} onChange={(e) => setTyped({ ...typed, name: e.target.value })} />
        </Field>
        <Field style={{ flex: 1 }}>
          Plate or fleet number
          <Input value={typed.plate} onChange={(e) => setTyped({ ...typed, plate: e.target.value })} />
        </Field>
      </Row>
      <Field>
        Why
        <Input
          value={typed.reason}
          placeholder="typed wrong at the first job, new plate …"
          onChange={(e) => setTyped({ ...typed, reason: e.target.value })}
        />
      </Field>
      <FormEnd problems={[write.problem]} onNotNow={onDone}>
        <Button
          isDisabled={write.busy || typed.name.trim() === '' || typed.reason.trim() === ''}
          onPress={() => void keep()}
        >
          Correct
        </Button>
      </FormEnd>
    </Stack>
  );
}
