import {
  DRIVER_IDS,
  DRIVER_NAMES,
  isBenchDriver,
  kindOf,
  onlyReads,
  type DriverId,
} from '@cellmend/contract/instrumentKinds';
import type { Person } from '@cellmend/contract/people';
import { useState, type FormEvent } from 'react';
import { useInstruments } from '../api/hooks';
import { ApiProblem, send } from '../api/client';
import { uncertain, UNCERTAIN } from '../api/keyFor';
import { WorkshopFrame } from '../shell/Header';
import { Input, Select, Field } from '../ui/Field';
import { Answer, Button, DataTable, Mute, Page, ProblemNote, Row, Sheet, Stack, Unseen } from '../ui/parts';
import { day, when } from '../ui/words';

/** The workshop's instruments: where they are, what they may put out, and whether their output is off. */
export function Instruments({ person }: { person: Person }) {
  const { data, mutate } = useInstruments();
  const [adding, setAdding] = useState(false);
  const [driver, setDriver] = useState<DriverId>(DRIVER_IDS[0]);
  const [busy, setBusy] = useState('');
  const [said, setSaid] = useState<Record<string, string>>({});
  const [problem, setProblem] = useState<{ what: string; accepted?: string | undefined } | null>(null);
  const [notes, setNotes] = useState<Record<string, string>>({});
  const lead = person.role === 'lead';
  const act = async (id: string, work: () => Promise<string | void>): Promise<void> => {
    setBusy(id);
    setProblem(null);
    try {
      const answer = await work();
      if (answer) setSaid({ ...said, [id]: answer });
      await mutate();
    } catch (e) {
      setProblem({
        what: e instanceof ApiProblem && !uncertain(e) ? e.message : `The server is away. ${UNCERTAIN}`,
        accepted: e instanceof ApiProblem ? e.problem.accepted : undefined,
      });
    } finally {
      setBusy('');
    }
  };
  const add = (event: FormEvent<HTMLFormElement>): void => {
    event.preventDefault();
    const f = new FormData(event.currentTarget);
    const text = (name: string): string => String(f.get(name) ?? '').trim();
    void act('new', async () => {
      await send('POST', '/instruments', {
        name: text('name'),
        kind: kindOf(text('driver') as DriverId),
        driver: text('driver'),
        host: text('host'),
        port: Number(text('port')),
        serial: text('serial'),
        mostV: Number(text('mostV').replace(',', '.')),
        mostA: text('mostA') === '' ? null : Number(text('mostA').replace(',', '.')),
        ohm: text('ohm') === '' ? null : Number(text('ohm').replace(',', '.')),
        readsWith: text('readsWith') || null,
        calibratedUntil: text('calibratedUntil') || null,
      });
      setAdding(false);
    });
  };
  const lost = (data ?? []).filter((i) => i.busyWith?.output === 'unknown');
  return (
    <WorkshopFrame person={person}>
      <Page aria-busy={!data}>
        <h1>Instruments</h1>
        {lost.map((i) => (
          <Answer key={i.id} tone="hot" title={`${i.name}: whether its output is off is not known`}>
            It may still be on
            {i.busyWith!.jobNumber === null
              ? ` (${i.busyWith!.why})`
              : `, after a test of job ${i.busyWith!.jobNumber}`}
            . Look, switch it off by hand, then say so here.
            {person.mayWrite && (
              <Row $gap={8} style={{ marginTop: 10 }}>
                <Input
                  aria-label={`Who switched ${i.name} off, and how`}
                  placeholder="Who switched it off, and how"
                  value={notes[i.id] ?? ''}
                  maxLength={300}
                  style={{ flex: 1 }}
                  onChange={(e) => setNotes((n) => ({ ...n, [i.id]: e.target.value }))}
                />
                <Button
                  quiet
                  isDisabled={busy !== '' || (notes[i.id] ?? '').trim().length < 3}
                  onPress={() =>
                    void act(i.id, async () => {
                      await send('POST', `/instruments/${i.id}/off`, { note: notes[i.id] });
                    })
                  }
                >
                  It is off
                </Button>
              </Row>
            )}
          </Answer>
        ))}
        {problem && <ProblemNote what={problem.what} accepted={problem.accepted} />}
        <Sheet>
          <DataTable>
            <thead>
              <tr>
                <th>Instrument</th>
                <th>Where</th>
                <th className="r">Most</th>
                <th>Calibrated until</th>
                <th>Last seen</th>
                <th>
                  <Unseen>To do</Unseen>
                </th>
              </tr>
            </thead>
            <tbody>
              {(data ?? []).map((i) => (
                <tr key={i.id}>
                  <td>
                    <b>{i.name}</b>
                    <br />
                    <Mute>
                      {DRIVER_NAMES[i.driver]}
                      {i.simulated ? ', simulated' : i.serial && `, ${i.serial}`}
                      {i.readsWith &&
                        `, read by ${(data ?? []).find((r) => r.id === i.readsWith)?.name ?? 'another'}`}
                    </Mute>
                  </td>
                  <td className="n">
                    {i.host}:{i.port}
                  </td>
                  <td className="r">
                    {i.mostV} V{i.mostA !== null && `, ${i.mostA} A`}
                    {i.ohm !== null && `, ${i.ohm} Ω`}
                  </td>
                  <td>{i.calibratedUntil ? day(i.calibratedUntil) : <Mute>not on record</Mute>}</td>
                  <td>
                    {said[i.id] ?? (i.lastSeen ? when(i.lastSeen) : <Mute>never</Mute>)}
                    {i.busyWith?.output === 'on' && (
                      <>
                        <br />
                        <b style={{ color: 'var(--hot)' }}>output on, job {i.busyWith.jobNumber}</b>
                      </>
                    )}
                  </td>
                  <td className="r">
                    <Row $gap={6} style={{ justifyContent: 'flex-end' }}>
                      {person.mayWrite && (
                        <Button
                          quiet
                          isDisabled={busy !== ''}
                          onPress={() =>
                            void act(i.id, async () => {
                              const seen = await send<{ identity: string; watchdog: boolean }>(
                                'POST',
                                `/instruments/${i.id}/look`,
                                {},
                              );
                              return `answers${seen.watchdog ? ', switches itself off when left alone' : ', has no watchdog of its own'}`;
                            })
                          }
                        >
                          {busy === i.id ? 'Asking …' : 'Ask it'}
                        </Button>
                      )}
                      {lead && !i.simulated && (
                        <Button
                          quiet
                          isDisabled={busy !== ''}
                          onPress={() => void act(i.id, () => send('DELETE', `/instruments/${i.id}`, {}))}
                        >
                          Take out of use
                        </Button>
                      )}
                    </Row>
                  </td>
                </tr>
              ))}
            </tbody>
          </DataTable>
          {data?.length === 0 && (
            <Mute>
              None yet. An insulation tester on the bench network is run from Insulation once it is here, a
              charger or load from Bench.
            </Mute>
          )}
        </Sheet>
        {adding ? (
          <Sheet>
            <form onSubmit={add}>
              <Stack>
                <h2>Another instrument</h2>
                <Row>
                  <Field style={{ flex: 2 }}>
                    Name
                    <Input name="name" required maxLength={80} placeholder="Tester at bench 2" />
                  </Field>
                  <Field style={{ flex: 2 }}>
                    What it is
                    <Select
                      name="driver"
                      value={driver}
                      onChange={(e) => setDriver(e.target.value as DriverId)}
                    >
                      {DRIVER_IDS.map((d) => (
                        <option key={d} value={d}>
                          {DRIVER_NAMES[d]}
                        </option>
                      ))}
                    </Select>
                  </Field>
                  <Field style={{ flex: 1 }}>
                    Serial number
                    <Input name="serial" maxLength={80} />
                  </Field>
                </Row>
                <Row style={{ alignItems: 'flex-end' }}>
                  <Field style={{ flex: 2 }}>
                    Address
                    <Input name="host" required maxLength={200} defaultValue="127.0.0.1" />
                  </Field>
                  <Field style={{ flex: 1 }}>
                    Port
                    <Input name="port" required inputMode="numeric" placeholder="5025" />
                  </Field>
                  <Field style={{ flex: 1 }}>
                    Most it may put out, V
                    <Input name="mostV" required inputMode="decimal" placeholder="1000" />
                  </Field>
                  <Field style={{ flex: 1 }}>
                    Most that may flow, A
                    <Input name="mostA" inputMode="decimal" placeholder="20" />
                  </Field>
                  {kindOf(driver) === 'relay' && (
                    <Field style={{ flex: 1 }}>
                      Bank behind it, Ω
                      <Input name="ohm" required inputMode="decimal" placeholder="2.2" />
                    </Field>
                  )}
                  {isBenchDriver(driver) && !onlyReads(kindOf(driver)) && (
                    <Field style={{ flex: 2 }}>
                      {kindOf(driver) === 'relay' ? 'Logger that reads it' : 'Warmth read by'}
                      <Select name="readsWith" defaultValue="" required={kindOf(driver) === 'relay'}>
                        <option value="">
                          {kindOf(driver) === 'relay' ? 'Choose one' : 'its own sensor'}
                        </option>
                        {(data ?? [])
                          .filter((r) =>
                            kindOf(driver) === 'relay' ? r.kind === 'logger' : onlyReads(r.kind),
                          )
                          .map((r) => (
                            <option key={r.id} value={r.id}>
                              {r.name}
                            </option>
                          ))}
                      </Select>
                    </Field>
                  )}
                  <Field style={{ flex: 1 }}>
                    Calibrated until
                    <Input name="calibratedUntil" type="date" />
                  </Field>
                </Row>
                <Mute>
                  Addresses outside this machine are named in CELLMEND_GATEWAYS when the server is started.
                </Mute>
                <Row>
                  <Button type="submit" isDisabled={busy !== ''}>
                    Add it
                  </Button>
                  <Button quiet onPress={() => setAdding(false)}>
                    Leave it
                  </Button>
                </Row>
              </Stack>
            </form>
          </Sheet>
        ) : (
          lead && (
            <div>
              <Button quiet onPress={() => setAdding(true)}>
                Add an instrument
              </Button>
            </div>
          )
        )}
      </Page>
    </WorkshopFrame>
  );
}
