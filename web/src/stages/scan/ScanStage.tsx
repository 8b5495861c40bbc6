import { STANDING_S, type Segment } from '@cellmend/core/scan';
import type { SpreadReport } from '@cellmend/core/diagnosis';
import { FileUp, Square } from 'lucide-react';
import { useState } from 'react';
import { FileTrigger, ProgressBar, Radio, RadioGroup } from 'react-aria-components';
import styled from 'styled-components';
import { send } from '../../api/client';
import { spreadOf, usePicture } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { useView } from '../../shell/useView';
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
import { Views } from '../../ui/Tabs';
import { duration, fixed, percent } from '../../ui/words';
import type { StageProps } from '../props';
import { Codes } from './Codes';
import { Definitions } from './Definitions';
import { DeviationPicture } from './DeviationPicture';
import { withDirection } from './mappingView';
import { Records } from './Records';
import { useImport } from './useImport';
import { lazyChart, type PropsOf } from '../../ui/lazyChart';

const Drop = lazyChart<PropsOf<(typeof import('./Drop'))['Drop']>, typeof import('./Drop')>(
  () => import('./Drop'),
  'Drop',
  80,
);
const Live = lazyChart<PropsOf<(typeof import('./Live'))['Live']>, typeof import('./Live')>(
  () => import('./Live'),
  'Live',
  300,
);

const Mapping = lazyChart<PropsOf<(typeof import('./Mapping'))['Mapping']>, typeof import('./Mapping')>(
  () => import('./Mapping'),
  'Mapping',
  420,
);

const ByHand = lazyChart<PropsOf<(typeof import('./ByHand'))['ByHand']>, typeof import('./ByHand')>(
  () => import('./ByHand'),
  'ByHand',
  420,
);

const Trace = lazyChart<PropsOf<(typeof import('./Trace'))['Trace']>, typeof import('./Trace')>(
  () => import('./Trace'),
  'Trace',
  220,
);

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

const Bar = styled.div<{ $part: number }>`
  height: 8px;
  border-radius: 4px;
  background: var(--line);
  overflow: hidden;
  &::after {
    content: '';
    display: block;
    height: 100%;
    width: ${(p) => p.$part * 100}%;
    background: var(--mat-text);
  }
`;

/** What a segment is in the trade's words, and which end of the charge it lies at. */
function segmentName(s: Segment, report: SpreadReport): string {
  const name = {
    rest: s.toS - s.fromS >= STANDING_S ? 'Standing' : 'Rest',
    discharge: 'Discharge',
    charge: 'Charge',
  }[s.kind];
  const holds = (at: number | undefined): boolean => at !== undefined && at >= s.fromS && at <= s.toS;
  if (s.kind === 'rest' && holds(report.nearFull?.timeS)) return `${name}, near full`;
  return s.kind === 'rest' && holds(report.nearEmpty?.timeS) ? `${name}, near empty` : name;
}

const VIEWS = [
  ['records', 'Records'],
  ['by-hand', 'By hand'],
  ['course', 'Course'],
  ['codes', 'Trouble codes'],
  ['live', 'Live'],
] as const;

/** Scan files come in here; each is kept as it was and read at once. */
export function ScanStage({ question }: StageProps) {
  const { job, findings, refresh, person, pack } = useJobView();
  const [role, setRole] = useState<'before' | 'after'>(
    job.composition.some((c) => c.here) ||
      (job.scans.some((s) => s.role === 'before') && job.decisions.some((d) => d.topic === 'measures'))
      ? 'after'
      : 'before',
  );
  const [view, setView] = useView('view', VIEWS);
  const taking = useImport(job.number, role, () => refresh());
  const { state } = taking;
  const busy = state.phase === 'looking' || state.phase === 'reading';
  const shown = spreadOf(findings, role) ?? spreadOf(findings, 'before');
  const spread = shown?.report.nearEmpty ?? shown?.report.nearFull;
  const after = role === 'after' && spreadOf(findings, 'after') !== null;

  return (
    <Page>
      <h1>{question}</h1>
      <Views of={VIEWS} value={view} onChange={setView} label="Scan" />
      {view === 'records' && person.mayWrite && (
        <Drop onFile={(file) => void taking.take(file)}>
          <FileUp size={28} aria-hidden />
          <div>
            <b>{busy ? `Reading ${state.file} …` : 'Drop the scan file here'}</b>
            <br />
            {state.phase === 'reading' && state.before > 0 ? (
              <Mute role="status">
                {state.before === 1 ? 'Next in line.' : `${state.before - 1} before it in line.`}
              </Mute>
            ) : state.phase === 'reading' ? (
              <ProgressBar aria-label="How far it is" value={state.fraction * 100}>
                <Bar $part={state.fraction} />
              </ProgressBar>
            ) : (
              <Mute>Table, workbook, CAN log or a .zip of tables, with all channels. Kept as it is.</Mute>
            )}
          </div>
          <RoleChoice role={role} onChange={setRole} />
          {busy ? (
            <Button quiet onPress={taking.stop}>
              <Square size={16} />
              Stop
            </Button>
          ) : (
            <FileTrigger
              acceptedFileTypes={['.csv', '.txt', '.tsv', '.xlsx', '.zip', '.log', '.asc', 'text/csv']}
              onSelect={(files) => files?.[0] && void taking.take(files[0])}
            >
              <Button>Choose file</Button>
            </FileTrigger>
          )}
        </Drop>
      )}
      {view === 'records' && state.phase === 'refused' && (
        <>
          <Mute>{state.file} was not taken; nothing was stored.</Mute>
          <ProblemNote what={state.what} where={state.where} accepted={state.accepted} />
          {state.code === 'no-definition' && <Definitions />}
        </>
      )}
      {view === 'records' && state.phase === 'asking' && (
        <Mapping
          file={state.file.name}
          preview={state.preview}
          pack={pack}
          onConfirm={(m) => void taking.confirm(m)}
          onCancel={taking.stop}
        />
      )}
      {view === 'records' && state.phase === 'direction' && (
        <Sheet aria-label="Direction of the current">
          <Stack>
            <h2>Which way does the current count in {state.file.name}?</h2>
            <p>{state.what} Read the wrong way round, charge would be taken for discharge.</p>
            <Row>
              <Button onPress={() => void taking.confirm(withDirection(state.preview, 'charge'))}>
                Positive is charge
              </Button>
              <Button quiet onPress={() => void taking.confirm(withDirection(state.preview, 'discharge'))}>
                Positive is discharge
              </Button>
              <Button quiet onPress={taking.stop}>
                Leave it
              </Button>
            </Row>
          </Stack>
        </Sheet>
      )}
      {view === 'records' && state.phase === 'order' && (
        <Sheet aria-label="Before or after the repair">
          <Stack>
            <h2>Was {state.file.name} recorded before or after the repair?</h2>
            <p>{state.what} Nothing was stored yet.</p>
            <Row>
              <Button
                onPress={() => {
                  void taking.settleOrder('other-side');
                  setRole(role === 'before' ? 'after' : 'before');
                }}
              >
                {role === 'before' ? 'After the repair' : 'Before the repair'}
              </Button>
              <Button quiet onPress={() => void taking.settleOrder('clock-wrong')}>
                Its clock is wrong
              </Button>
              <Button quiet onPress={taking.stop}>
                Leave it
              </Button>
            </Row>
          </Stack>
        </Sheet>
      )}
      {view === 'records' && person.mayWrite && job.demoFiles.length > 0 && !busy && (
        <Row>
          <Mute>Demo files:</Mute>
          {job.demoFiles.map((f) => (
            <Button
              key={f}
              quiet
              onPress={() => void taking.takeDemo(f, f.includes('after') ? 'after' : 'before')}
            >
              {f}
            </Button>
          ))}
        </Row>
      )}
      {view === 'records' && job.scans.length > 0 && (
        <Records
          role={role}
          onJoin={async (scanIds) => {
            await send('POST', `/jobs/${job.number}/findings`, { topic: 'spread', role, scanIds });
            await refresh();
          }}
        />
      )}
      {view === 'records' && job.scans.length === 0 && (
        <Stack>
          <Mute>
            A good scan holds a rest near full, a drive and a rest near empty: a weak group looks fine at the
            top and sags at the bottom. Several records of one pack are put on one time line. No file? Type
            what a meter or another tool’s screen shows under By hand.
          </Mute>
        </Stack>
      )}
      {(view === 'by-hand' || view === 'live') && person.mayWrite && (
        <RoleChoice role={role} onChange={setRole} />
      )}
      {view === 'by-hand' && (
        <ByHand
          role={role}
          onKept={async () => {
            await refresh();
            setView('records');
          }}
        />
      )}
      {view === 'course' && <Course />}
      {view === 'codes' && <Codes />}
      {view === 'live' && (
        <Live
          role={role}
          onKept={async () => {
            setView('records');
            await refresh();
          }}
        />
      )}
      {shown && view !== 'live' && view !== 'by-hand' && (
        <NextBar>
          {spread ? (
            <div>
              <b>
                Delta {fixed(spread.deltaMv, 0)} mV at {percent(spread.medianSocFraction)} charge.
              </b>
              <br />
              {pack.channels[spread.minChannelIndex]!.id} is lowest,{' '}
              {pack.channels[spread.maxChannelIndex]!.id} highest.
            </div>
          ) : (
            <div>
              <b>No rest in the record.</b>
              <br />
              It was all taken under load. A scan while the vehicle stands tells more.
            </div>
          )}
          <LinkButton to={`/jobs/${job.number}/${after ? 'prove' : 'findings'}`}>
            {after ? 'Compare' : 'See findings'}
          </LinkButton>
        </NextBar>
      )}
    </Page>
  );
}

/** Whether what is recorded now shows the pack as it came, or what was done to it. */
function RoleChoice({
  role,
  onChange,
}: {
  role: 'before' | 'after';
  onChange: (role: 'before' | 'after') => void;
}) {
  return (
    <Choice
      aria-label="When was it recorded"
      orientation="horizontal"
      value={role}
      onChange={(v) => onChange(v as 'before' | 'after')}
    >
      <Radio value="before">Before repair</Radio>
      <Radio value="after">After repair</Radio>
    </Choice>
  );
}

/** One record as it went: every channel as a picture, a few as lines, and its segments. */
function Course() {
  const { job, findings, pack, selected } = useJobView();
  const [id, setId] = useState<string | null>(null);
  const scan = job.scans.find((s) => s.id === id) ?? job.scans[job.scans.length - 1];
  const { data: picture } = usePicture(job.number, scan?.id);
  if (!scan) return <Mute>The course of a record shows here once a scan is taken in.</Mute>;
  const report = spreadOf(findings, scan.role)?.report;
  const odd = (
    selected !== null
      ? pack.modules[selected]!.channelIndices
      : [...new Set(report?.findings.map((f) => f.channelIndex) ?? [])]
  ).slice(0, 6);
  return (
    <>
      {job.scans.length > 1 && (
        <Views
          of={job.scans.slice(-6).map((s) => [s.id, s.name] as const)}
          value={scan.id}
          onChange={setId}
          label="Record"
        />
      )}
      {picture && (
        <Sheet>
          <h3>Every channel through the record</h3>
          <DeviationPicture picture={picture} />
        </Sheet>
      )}
      <Sheet>
        <h3>
          {selected !== null
            ? `Channels of ${pack.modules[selected]!.id}`
            : odd.length > 0
              ? 'Odd channels through the record'
              : 'The first channel through the record'}
        </h3>
        <Trace job={job.number} scan={scan} channels={odd.length > 0 ? odd : [0]} />
      </Sheet>
      {report && (
        <Sheet>
          <h3>Segments</h3>
          <DataTable>
            <thead>
              <tr>
                <th>Segment</th>
                <th className="r">From</th>
                <th className="r">Length</th>
                <th className="r">Mean current</th>
                <th className="r">Charge</th>
                <th className="r">Steps</th>
              </tr>
            </thead>
            <tbody>
              {report.segments.map((s) => (
                <tr key={s.fromS}>
                  <td>{segmentName(s, report)}</td>
                  <td className="r">{duration(s.fromS / 3600)}</td>
                  <td className="r">{duration((s.toS - s.fromS) / 3600)}</td>
                  <td className="r">{fixed(s.meanCurrentA, 1)} A</td>
                  <td className="r">{fixed(s.chargeAh, 1)} A·h</td>
                  <td className="r">{s.steps ?? '–'}</td>
                </tr>
              ))}
            </tbody>
          </DataTable>
        </Sheet>
      )}
    </>
  );
}
