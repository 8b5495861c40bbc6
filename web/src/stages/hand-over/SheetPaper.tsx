import { measureWords } from '@cellmend/core/route';
import { decisionOf, useSession } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { lazily } from '../../shell/lazily';
import { Mute } from '../../ui/parts';
import { dated, day, sentence, upper } from '../../ui/words';
import { warrantyWords } from '../warrantyWords';
import { NotSeen } from './NotSeen';
import { Paper } from './Paper';
import { Quoted } from './Quoted';
import { SHEETS } from './sheetKinds';
import {
  Came,
  Done,
  Found,
  Joints,
  LeftOpen,
  MeasuredTable,
  PartsOut,
  Pictures,
  Proven,
  SafetyEvidence,
  Signers,
} from './SheetParts';
import type { SheetTyped } from './useSheet';

const Appraised = lazily<object, typeof import('./Appraised')>(() => import('./Appraised'), 'Appraised');
const BenchResults = lazily<object, typeof import('./BenchResults')>(
  () => import('./BenchResults'),
  'BenchResults',
);
const HowTheyLeave = lazily<object, typeof import('./HowTheyLeave')>(
  () => import('./HowTheyLeave'),
  'HowTheyLeave',
);

/** The sheet itself, as it is printed. */
export function SheetPaper({ sheet }: { sheet: SheetTyped }) {
  const { job, pack } = useJobView();
  const { data: session } = useSession();
  const {
    ending,
    told,
    notDone,
    estimate,
    watch,
    watchBy,
    watched,
    warranty,
    quote,
    cameTo,
    costOk,
    signed,
  } = sheet;
  const { title, asks, heading } = SHEETS[ending];
  const dropped = (decisionOf(job, 'measures')?.body.measures ?? []).filter((m) => m.dropped !== '');
  return (
    <Paper aria-label="Hand-over sheet">
      <header>
        <div>
          <h2 className="title">
            {title}: {job.title}
          </h2>
          <Mute>
            {session?.workshop} · job {job.number}
            {job.vehicle?.plate && ` · ${job.vehicle.plate}`} ·{' '}
            {day(signed?.signedAt ?? new Date().toISOString()).replaceAll(' ', '\u00a0')}
          </Mute>
        </div>
        <Mute>
          {pack.profile.name}, {job.physicalPack.label}
        </Mute>
      </header>
      <Came />
      <Found />
      <Done ending={ending} />
      {ending === 'appraised' && <Appraised />}
      {asks && estimate && (
        <section>
          <h2>{heading}</h2>
          <p>{estimate}</p>
        </section>
      )}
      {quote && <Quoted quote={quote} cameTo={costOk ? cameTo : null} />}
      <Joints />
      <BenchResults />
      <MeasuredTable />
      <SafetyEvidence />
      {watch && (
        <section>
          <h2>Thermal watch not over</h2>
          <p>
            Begun {dated(watch.since)}: a temperature every {watch.everyMin} min for at least{' '}
            {watch.leastHours} h. Carried on by: {watchBy.trim() || 'not named yet'}.
          </p>
        </section>
      )}
      {ending === 'monitored' && watched.trim() && (
        <section>
          <h2>Watched</h2>
          <p>{sentence(watched)}</p>
        </section>
      )}
      {warranty && (
        <section>
          <h2>Warranty</h2>
          <p>{upper(warrantyWords(warranty))}, from the day this is signed.</p>
        </section>
      )}
      {told && (
        <section>
          <h2>What to expect</h2>
          <p>{told}</p>
        </section>
      )}
      {(notDone || dropped.length > 0) && (
        <section>
          <h2>Not done</h2>
          {dropped.map((m) => (
            <p key={m.id}>
              {upper(measureWords(m))}: {m.dropped}.
            </p>
          ))}
          {notDone && <p>{notDone}</p>}
        </section>
      )}
      <NotSeen ending={ending} />
      <Proven ending={ending} />
      <LeftOpen />
      <Pictures />
      <PartsOut />
      {job.removed.length > 0 && <HowTheyLeave />}
      {job.contradictions.length > 0 && (
        <section>
          <h2>Not borne out by the record</h2>
          {job.contradictions.map((c) => (
            <p key={c}>{c}</p>
          ))}
        </section>
      )}
      <Signers signers={job.signers} />
      <div className="sign">
        <div>{signed ? `${signed.signedBy}, ${day(signed.signedAt)}` : 'Technician'}</div>
        <div>Owner</div>
      </div>
    </Paper>
  );
}
