import type { SameVehicle, TakenIn } from '@cellmend/contract/archive';
import type { Person } from '@cellmend/contract/people';
import { useState } from 'react';
import { FileTrigger } from 'react-aria-components';
import { Link } from 'react-router';
import styled from 'styled-components';
import { useSWRConfig } from 'swr';
import { ApiProblem, upload } from '../api/client';
import { useVehicles } from '../api/hooks';
import { WorkshopFrame } from '../shell/Header';
import { Input, Field } from '../ui/Field';
import { Button, DataTable, Mute, Page, ProblemNote, Row, Sheet } from '../ui/parts';
import { odometer } from '../ui/units';
import { day } from '../ui/words';

const Jobs = styled.ol`
  list-style: none;
  margin: 0;
  padding: 0;
  a {
    display: inline-block;
    min-height: 28px;
    font-weight: 650;
  }
`;

/** A job that another workshop archived: all of it is taken in, or nothing. */
function TakeArchive() {
  const { mutate } = useSWRConfig();
  const [busy, setBusy] = useState(false);
  const [said, setSaid] = useState<{ what: string; accepted?: string | undefined } | null>(null);
  const [taken, setTaken] = useState<TakenIn | null>(null);
  /** A file whose vehicle may be one that is here. */
  const [asked, setAsked] = useState<{ file: File; what: string } | null>(null);
  const take = async (file: File, same?: SameVehicle): Promise<void> => {
    setBusy(true);
    setSaid(null);
    setTaken(null);
    setAsked(null);
    try {
      setTaken(await upload<TakenIn>(`/archives${same ? `?vehicle=${same}` : ''}`, file));
      await mutate(() => true);
    } catch (e) {
      if (e instanceof ApiProblem && e.problem.type === 'urn:cellmend:same-vehicle')
        return setAsked({ file, what: e.message });
      setSaid(
        e instanceof ApiProblem
          ? { what: e.message, accepted: e.problem.accepted }
          : { what: 'The server is away; nothing was taken in.' },
      );
    } finally {
      setBusy(false);
    }
  };
  return (
    <>
      {taken && (
        <span>
          Taken in as <Link to={`/jobs/${taken.number}/timeline`}>job {taken.number}</Link>.{' '}
          {taken.renamed.length > 0 && <Mute>{taken.renamed.join('; ')}.</Mute>}
        </span>
      )}
      {asked && (
        <div role="group" aria-label="The same vehicle?">
          <p>{asked.what}</p>
          <Row $gap={8}>
            <Button onPress={() => void take(asked.file, 'same')}>The same vehicle</Button>
            <Button quiet onPress={() => void take(asked.file, 'other')}>
              Another vehicle
            </Button>
            <Button quiet onPress={() => setAsked(null)}>
              Do not import it
            </Button>
          </Row>
        </div>
      )}
      {said && <ProblemNote what={said.what} accepted={said.accepted} />}
      <FileTrigger
        acceptedFileTypes={['.zip', 'application/zip']}
        onSelect={(files) => {
          const file = files?.[0];
          if (file) void take(file);
        }}
      >
        <Button quiet isDisabled={busy}>
          {busy ? 'Taking it in …' : 'Take in an archive'}
        </Button>
      </FileTrigger>
    </>
  );
}

/** Every vehicle that was here: its pack, its odometer, its jobs over the years. */
export function Vehicles({ person }: { person: Person }) {
  const { data } = useVehicles();
  const [sought, setSought] = useState('');
  const words = sought.trim().toLowerCase();
  const rows = (data ?? []).filter((v) => `${v.name} ${v.plate ?? ''}`.toLowerCase().includes(words));
  return (
    <WorkshopFrame person={person}>
      <Page>
        <Row>
          <h1 style={{ flex: 1 }}>Which vehicles were here?</h1>
          {person.role === 'lead' && <TakeArchive />}
        </Row>
        <Field style={{ maxWidth: 420 }}>
          Plate, fleet number or name
          <Input value={sought} onChange={(e) => setSought(e.target.value)} />
        </Field>
        <Sheet>
          {data && rows.length === 0 ? (
            <p>
              {words
                ? 'None of that name or plate.'
                : 'None yet. A vehicle is written down with its first job.'}
            </p>
          ) : (
            <DataTable>
              <thead>
                <tr>
                  <th>Vehicle</th>
                  <th>Pack</th>
                  <th>Odometer</th>
                  <th>Jobs</th>
                </tr>
              </thead>
              <tbody>
                {rows.map((v) => (
                  <tr key={v.id}>
                    <td>
                      <Link to={`/vehicles/${v.id}`}>
                        <b>{v.name}</b>
                      </Link>
                      <br />
                      <Mute>{v.plate ?? 'no plate'}</Mute>
                    </td>
                    <td>
                      {v.packs.map((p) => (
                        <div key={p.id}>
                          {p.label}, {p.profile}
                          {!p.now && <Mute> until it came out</Mute>}
                        </div>
                      ))}
                    </td>
                    <td>
                      {v.odometer.length === 0 && <Mute>not written down</Mute>}
                      {v.odometer.map((o) => (
                        <div key={o.job}>
                          {odometer(o.km)} <Mute>{day(o.at)}</Mute>
                        </div>
                      ))}
                    </td>
                    <td>
                      <Jobs>
                        {v.jobs.map((j) => (
                          <li key={j.number}>
                            <Link to={`/jobs/${j.number}/hand-over`}>Job {j.number}</Link>{' '}
                            <Mute>
                              {day(j.openedAt)}, {j.ending ?? 'open'}
                            </Mute>
                          </li>
                        ))}
                      </Jobs>
                    </td>
                  </tr>
                ))}
              </tbody>
            </DataTable>
          )}
        </Sheet>
      </Page>
    </WorkshopFrame>
  );
}
