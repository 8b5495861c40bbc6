import type { MemoryView } from '@cellmend/contract/memory';
import type { Person } from '@cellmend/contract/people';
import { useState } from 'react';
import { FileTrigger, ToggleButton } from 'react-aria-components';
import useSWR from 'swr';
import { ApiProblem, get, send } from '../api/client';
import { Chips } from '../ui/Chips';
import { Field, Input } from '../ui/Field';
import { Button, DataTable, Mute, ProblemNote, QuietAnchor, Row, Sheet, Stack } from '../ui/parts';
import { day, fixed, upper } from '../ui/words';
import { verdictWords } from './WasItSo';

/** What the server takes in one piece, with what goes round it. */
const LARGEST = 900 * 1024;

/** What is remembered of each kind of pack: whether it is weighed in, handed on, and what others shared. */
export function Memory({ person }: { person: Person }) {
  const { data, mutate } = useSWR<MemoryView>('/memory', get);
  const [name, setName] = useState('');
  const [problem, setProblem] = useState<{ what: string; accepted?: string | undefined } | null>(null);
  if (!data) return null;
  const lead = person.role === 'lead';
  const act = async (work: () => Promise<unknown>): Promise<void> => {
    setProblem(null);
    try {
      await work();
      await mutate();
    } catch (e) {
      setProblem(
        e instanceof ApiProblem
          ? { what: e.message, accepted: e.problem.accepted }
          : { what: e instanceof Error && e.message !== '' ? e.message : 'That could not be done.' },
      );
    }
  };
  const takeIn = async (file: File): Promise<void> => {
    if (file.size > LARGEST) throw new Error(`${file.name} is larger than any memory.`);
    let content: unknown;
    try {
      content = JSON.parse(await file.text());
    } catch {
      throw new Error(`${file.name} is no JSON: a memory is the file that another workshop’s page gave.`);
    }
    await send('POST', '/memory/shared', {
      name: name.trim() || file.name.replace(/\.json$/i, ''),
      file: content,
    });
    setName('');
  };
  const failing = (places: Record<string, number>): string =>
    Object.entries(places)
      .sort((a, b) => b[1] - a[1])
      .slice(0, 5)
      .map(([place, n]) => `${place}: ${n}`)
      .join('; ');
  return (
    <Sheet aria-label="What is remembered">
      <Stack>
        <Row>
          <h2 style={{ flex: 1 }}>Statistics by pack model</h2>
          <Chips
            selectionMode="single"
            disallowEmptySelection
            selectedKeys={[data.on ? 'on' : 'off']}
            onSelectionChange={(k) => lead && void act(() => send('PUT', '/memory', { on: k.has('on') }))}
            aria-label="Weighed in"
          >
            <ToggleButton id="off" isDisabled={!lead && data.on}>
              left out
            </ToggleButton>
            <ToggleButton id="on" isDisabled={!lead && !data.on}>
              weighed in
            </ToggleButton>
          </Chips>
        </Row>
        <Mute>
          Weighed in, it stands beside what the readings say in Findings and Insulation, never instead of it.
          It holds counts by kind of pack: no vehicle, customer, date or name.
        </Mute>
        {data.own.length === 0 ? (
          <Mute>Nothing yet: it fills as verdicts are answered and jobs handed over.</Mute>
        ) : (
          <DataTable>
            <thead>
              <tr>
                <th>Pack</th>
                <th className="r">Jobs</th>
                <th>At fault</th>
                <th>Verdicts that held</th>
                <th>Donors that lasted</th>
                <th className="r">Healthy, full / empty</th>
              </tr>
            </thead>
            <tbody>
              {data.own.map((m) => (
                <tr key={`${m.model} ${m.modules}`}>
                  <td>
                    <b>{m.model}</b>
                  </td>
                  <td className="r">{m.jobs}</td>
                  <td>
                    {failing(m.places) || <Mute>none</Mute>}
                    {failing(m.leaks) && (
                      <>
                        <br />
                        Leaks: {failing(m.leaks)}
                      </>
                    )}
                    {failing(m.ways) && (
                      <>
                        <br />
                        In by: {failing(m.ways)}
                      </>
                    )}
                  </td>
                  <td>
                    {Object.entries(m.verdicts)
                      .map(
                        ([v, n]) => `${upper(verdictWords(v))} ${n.confirmed} of ${n.confirmed + n.refuted}`,
                      )
                      .join(', ') || <Mute>none</Mute>}
                  </td>
                  <td>
                    {Object.entries(m.donors)
                      .map(([r, d]) => `${r}: ${d.fitted - d.replaced} of ${d.fitted}`)
                      .join(', ') || <Mute>none</Mute>}
                  </td>
                  <td className="r">
                    {m.healthy.n === 0
                      ? '–'
                      : `${m.healthy.nearFullMv === null ? '–' : fixed(m.healthy.nearFullMv, 0)} / ${m.healthy.nearEmptyMv === null ? '–' : fixed(m.healthy.nearEmptyMv, 0)} mV`}
                  </td>
                </tr>
              ))}
            </tbody>
          </DataTable>
        )}
        {data.shared.map((s) => (
          <Row key={s.id}>
            <span style={{ flex: 1 }}>
              <b>{s.name}</b>: {s.jobs} jobs on {s.models} kinds of pack, made {day(s.madeOn)}
            </span>
            {lead && (
              <Button quiet onPress={() => void act(() => send('DELETE', `/memory/shared/${s.id}`, {}))}>
                Take out
              </Button>
            )}
          </Row>
        ))}
        {problem && <ProblemNote what={problem.what} accepted={problem.accepted} />}
        <Row style={{ alignItems: 'flex-end' }}>
          {person.mayWrite && (
            <QuietAnchor href="/api/memory/file" download>
              Export
            </QuietAnchor>
          )}
          {lead && (
            <>
              <Field style={{ flex: '1 1 200px' }}>
                Workshop name
                <Input value={name} maxLength={120} onChange={(e) => setName(e.target.value)} />
              </Field>
              <FileTrigger
                acceptedFileTypes={['.json', 'application/json']}
                onSelect={(f) => f?.[0] && void act(() => takeIn(f[0]!))}
              >
                <Button quiet>Import</Button>
              </FileTrigger>
            </>
          )}
        </Row>
      </Stack>
    </Sheet>
  );
}
