import type { ScanSummary } from '@cellmend/contract/jobs';
import { FileUp, Square } from 'lucide-react';
import { useRef, useState } from 'react';
import { DropZone, FileTrigger, Radio, RadioGroup, type DropItem } from 'react-aria-components';
import { CartesianGrid, Line, LineChart, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import styled from 'styled-components';
import { ApiProblem, send, upload } from '../../api/client';
import { spreadOf, useTraces } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import {
  Button,
  DataTable,
  LinkButton,
  Mute,
  NextBar,
  Page,
  ProblemNote,
  Row,
  Sheet,
  Stack,
} from '../../ui/parts';
import { duration, fixed, percent, when } from '../../ui/words';
import type { StageProps } from '../props';

const Drop = styled(DropZone)`
  border: 2px dashed var(--edge);
  border-radius: 6px;
  padding: 18px;
  display: flex;
  gap: 16px;
  align-items: center;
  background: var(--sheet);
  flex-wrap: wrap;
  &[data-drop-target] {
    border-color: var(--mat-text);
    background: var(--mat-soft);
  }
  > div:first-of-type {
    flex: 1 1 220px;
  }
`;
const Choice = styled(RadioGroup)`
  display: flex;
  gap: 6px;
  label {
    display: inline-flex;
    align-items: center;
    min-height: 44px;
    padding: 0 14px;
    white-space: nowrap;
    border-radius: 6px;
    border: 1px solid var(--edge);
    cursor: pointer;
  }
  label[data-selected] {
    background: var(--ink);
    color: var(--sheet);
    border-color: var(--ink);
  }
  label[data-focus-visible] {
    outline: 3px solid var(--mat-text);
    outline-offset: 2px;
  }
`;

const SEGMENT_NAMES = { rest: 'Rest', discharge: 'Discharge', charge: 'Charge' } as const;

/** Scan files come in here; each is kept as it was and read at once. */
export function ScanStage({ question }: StageProps) {
  const { job, findings, pack, refresh, person, selected } = useJobView();
  const [role, setRole] = useState<'before' | 'after'>(
    job.scans.some((s) => s.role === 'before') && job.decisions.some((d) => d.topic === 'replace')
      ? 'after'
      : 'before',
  );
  const [busy, setBusy] = useState<string | null>(null);
  const [problem, setProblem] = useState<{
    what: string;
    where?: string | undefined;
    accepted?: string | undefined;
    file: string;
  } | null>(null);
  const stop = useRef<AbortController | null>(null);

  const take = async (name: string, work: (signal: AbortSignal) => Promise<ScanSummary>): Promise<void> => {
    setProblem(null);
    setBusy(name);
    stop.current = new AbortController();
    try {
      await work(stop.current.signal);
      await refresh();
    } catch (e) {
      if (stop.current.signal.aborted) return;
      setProblem(
        e instanceof ApiProblem
          ? { what: e.message, where: e.problem.where, accepted: e.problem.accepted, file: name }
          : {
              what: 'The server is away; the file was not taken.',
              accepted: 'The same file again when the server is back.',
              file: name,
            },
      );
    } finally {
      setBusy(null);
    }
  };
  const takeFile = (file: File): Promise<void> =>
    take(file.name, (signal) =>
      upload(
        `/jobs/${job.number}/scans?${new URLSearchParams({ name: file.name.slice(0, 120), role })}`,
        file,
        signal,
      ),
    );
  const onDrop = async (items: DropItem[]): Promise<void> => {
    const item = items.find((i) => i.kind === 'file');
    if (item?.kind === 'file') await takeFile(await item.getFile());
  };
  const shown = spreadOf(findings, role) ?? spreadOf(findings, 'before');
  const scan = job.scans.find((s) => s.findingId === shown?.id);
  const odd = (
    selected !== null
      ? pack.modules[selected]!.channelIndices
      : [...new Set(shown?.report.findings.map((f) => f.channelIndex) ?? [])]
  ).slice(0, 6);
  const spread = shown?.report.nearEmpty ?? shown?.report.nearFull;

  return (
    <Page>
      <h1>{question}</h1>
      {person.mayWrite && (
        <Drop onDrop={(e) => void onDrop(e.items)} aria-label="Drop a scan file">
          <FileUp size={28} aria-hidden />
          <div>
            <b>{busy ? `Reading ${busy} …` : 'Drop the scan file here'}</b>
            <br />
            <Mute>CSV with time, current and all channels. Kept as it is.</Mute>
          </div>
          <Choice
            aria-label="When was it recorded"
            orientation="horizontal"
            value={role}
            onChange={(v) => setRole(v as 'before' | 'after')}
          >
            <Radio value="before">Before repair</Radio>
            <Radio value="after">After repair</Radio>
          </Choice>
          {busy ? (
            <Button quiet onPress={() => stop.current?.abort()}>
              <Square size={16} />
              Stop
            </Button>
          ) : (
            <FileTrigger
              acceptedFileTypes={['.csv', '.txt', 'text/csv']}
              onSelect={(files) => files?.[0] && void takeFile(files[0])}
            >
              <Button>Choose file</Button>
            </FileTrigger>
          )}
        </Drop>
      )}
      {problem && (
        <>
          <Mute>{problem.file} was not taken; nothing was stored.</Mute>
          <ProblemNote {...problem} />
        </>
      )}
      {person.mayWrite && job.demoFiles.length > 0 && !busy && (
        <Row>
          <Mute>Demo files:</Mute>
          {job.demoFiles.map((f) => (
            <Button
              key={f}
              quiet
              onPress={() =>
                void take(f, () =>
                  send('POST', `/jobs/${job.number}/scans/demo`, {
                    name: f,
                    role: f.includes('after') ? 'after' : 'before',
                  }),
                )
              }
            >
              {f}
            </Button>
          ))}
        </Row>
      )}
      {job.scans.length > 0 && (
        <Sheet>
          <DataTable>
            <thead>
              <tr>
                <th>Record</th>
                <th>Recorded</th>
                <th className="r">Rows</th>
                <th className="r">Length</th>
                <th>Taken in</th>
              </tr>
            </thead>
            <tbody>
              {job.scans.map((s) => (
                <tr key={s.id}>
                  <td>
                    <b>{s.name}</b>
                    {s.notices.map((n) => (
                      <div key={n}>
                        <Mute>{n}</Mute>
                      </div>
                    ))}
                  </td>
                  <td>{s.role} repair</td>
                  <td className="r">{s.rows}</td>
                  <td className="r">{duration(s.durationS / 3600)}</td>
                  <td>
                    {s.recordedBy}, {when(s.createdAt)}
                  </td>
                </tr>
              ))}
            </tbody>
          </DataTable>
        </Sheet>
      )}
      {shown && spread && (
        <>
          <Sheet>
            <h3>
              {selected !== null
                ? `Channels of ${pack.modules[selected]!.id}`
                : odd.length > 0
                  ? 'Odd channels through the record'
                  : 'The record'}
            </h3>
            <Mute>Volts per channel. Pick a module on the pack map for its channels.</Mute>
            <Trace job={job.number} scan={scan} channels={odd.length > 0 ? odd : [0]} />
          </Sheet>
          <Sheet>
            <DataTable>
              <thead>
                <tr>
                  <th>Segment</th>
                  <th className="r">From</th>
                  <th className="r">Length</th>
                  <th className="r">Mean current</th>
                  <th className="r">Charge</th>
                </tr>
              </thead>
              <tbody>
                {shown.report.segments.map((s) => (
                  <tr key={s.fromS}>
                    <td>{SEGMENT_NAMES[s.kind]}</td>
                    <td className="r">{duration(s.fromS / 3600)}</td>
                    <td className="r">{duration((s.toS - s.fromS) / 3600)}</td>
                    <td className="r">{fixed(s.meanCurrentA, 1)} A</td>
                    <td className="r">{fixed(s.chargeAh, 1)} A·h</td>
                  </tr>
                ))}
              </tbody>
            </DataTable>
          </Sheet>
          <NextBar>
            <div>
              <b>
                Delta {fixed(spread.deltaMv, 0)} mV at {percent(spread.medianSocFraction)} charge.
              </b>
              <br />
              {pack.channels[spread.minChannelIndex]!.id} is lowest,{' '}
              {pack.channels[spread.maxChannelIndex]!.id} highest.
            </div>
            <LinkButton
              to={`/jobs/${job.number}/${role === 'after' && spreadOf(findings, 'after') ? 'prove' : 'findings'}`}
            >
              {role === 'after' && spreadOf(findings, 'after') ? 'Compare' : 'See findings'}
            </LinkButton>
          </NextBar>
        </>
      )}
      {job.scans.length === 0 && (
        <Stack>
          <Mute>
            A good scan holds a rest near full, a drive and a rest near empty: a weak group looks fine at the
            top and sags at the bottom.
          </Mute>
        </Stack>
      )}
    </Page>
  );
}

const COLOURS = ['var(--sus)', 'var(--mat-text)', 'var(--low)', 'var(--high)', 'var(--ink)', 'var(--mute)'];

function Trace({ job, scan, channels }: { job: number; scan: ScanSummary | undefined; channels: number[] }) {
  const { pack } = useJobView();
  const { data } = useTraces(job, scan?.id, channels);
  if (!data) return null;
  const rows = data.timeS.map(
    (t, i) =>
      Object.fromEntries([
        ['t', t / 60],
        ...data.channels.map((c) => [pack.channels[c.channelIndex]!.id, c.voltageV[i]]),
      ]) as Record<string, number>,
  );
  return (
    <ResponsiveContainer width="100%" height={220}>
      <LineChart data={rows} margin={{ top: 8, right: 12, bottom: 2, left: 0 }}>
        <CartesianGrid stroke="var(--line)" vertical={false} />
        <XAxis
          dataKey="t"
          type="number"
          domain={['dataMin', 'dataMax']}
          tickFormatter={(v: number) => `${Math.round(v)} min`}
          stroke="var(--mute)"
          fontSize={12.5}
        />
        <YAxis
          domain={['auto', 'auto']}
          width={62}
          tickFormatter={(v: number) => `${v.toFixed(2)} V`}
          stroke="var(--mute)"
          fontSize={12.5}
        />
        <Tooltip
          formatter={(v) => `${Number(v).toFixed(3)} V`}
          labelFormatter={(v) => `${Math.round(Number(v))} min`}
          contentStyle={{ background: 'var(--sheet)', border: '1px solid var(--line)' }}
        />
        {data.channels.map((c, i) => (
          <Line
            key={c.channelIndex}
            dataKey={pack.channels[c.channelIndex]!.id}
            stroke={COLOURS[i % COLOURS.length]!}
            dot={false}
            strokeWidth={1.8}
            isAnimationActive={false}
          />
        ))}
      </LineChart>
    </ResponsiveContainer>
  );
}
