import type { Stop, WorkshopSettings } from '@cellmend/contract/safety';
import { judgeWatch, STOP_ADVICE, WATCH_EVERY_MIN } from '@cellmend/core/safety';
import { useState } from 'react';
import { useJobView } from '../../shell/jobContext';
import { useWrite } from '../../shell/useWrite';
import { Input, Field } from '../../ui/Field';
import { Button, Mute, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { fixed, when } from '../../ui/words';
import { useReadings } from '../notes/Readings';
import { LogTemperature } from './LogTemperature';
import { lazyChart, type PropsOf } from '../../ui/lazyChart';

const WatchChart = lazyChart<
  PropsOf<(typeof import('./WatchChart'))['WatchChart']>,
  typeof import('./WatchChart')
>(() => import('./WatchChart'), 'WatchChart', 120);

const WORDS = {
  'no reading': 'No temperature logged yet.',
  rising: 'RISING: treat it as an emergency.',
  steady: 'Steady. Go on logging.',
  falling: 'Falling. Go on until it has fallen for an hour.',
  'may end': 'Cool enough and falling for an hour: the watch may end.',
} as const;

/** What to do first, whom to call, the thermal watch, and the end of a stop with its reason. */
export function StopPanel({
  stop,
  settings,
  onDone,
}: {
  stop: Stop;
  settings: WorkshopSettings;
  onDone: () => void;
}) {
  const { job, person } = useJobView();
  const { data } = useReadings(job.number);
  const write = useWrite();
  const [reason, setReason] = useState('');
  const advice = STOP_ADVICE[stop.kind];
  const since = new Date(stop.at).getTime();
  const points = (data ?? [])
    .filter(
      (r) =>
        r.kind === 'temperature' &&
        r.conditions === 'thermal watch' &&
        !r.supersededBy &&
        new Date(r.observedAt).getTime() >= since - 60_000,
    )
    .map((r) => ({ timeS: (new Date(r.observedAt).getTime() - since) / 1000, temperatureC: r.value! }))
    .sort((a, b) => a.timeS - b.timeS);
  const watch = judgeWatch(points);
  return (
    <Sheet aria-label={`Stopped: ${stop.kind}`}>
      <Stack>
        <h2>{advice.clear ? 'Get out first' : 'What to do first'}</h2>
        {stop.outputs.map((o) =>
          o.output === 'off' ? (
            <p key={o.instrument}>{o.instrument}: output off.</p>
          ) : (
            <ProblemNote
              key={o.instrument}
              what={`${o.instrument} could not be reached: its output may still be on. Switch it off by hand.`}
              accepted="Then say so under Instruments."
            />
          ),
        )}
        <ol style={{ margin: 0, paddingLeft: 20 }}>
          {advice.first.map((f) => (
            <li key={f}>{f}</li>
          ))}
        </ol>
        <p>
          <b>Call:</b>{' '}
          {settings.callWhom || 'no number is on record here; the fire service, and the shop’s lead.'}
          {settings.quarantinePlace && (
            <>
              {' '}
              <b>Quarantine:</b> {settings.quarantinePlace}
            </>
          )}
        </p>
        {advice.watch && (
          <>
            <h3>
              Thermal watch, every {WATCH_EVERY_MIN} min: {WORDS[watch.state]}
              {watch.perHourK !== 0 && ` ${fixed(watch.perHourK, 1)} K an hour.`}
            </h3>
            {points.length > 1 && <WatchChart points={points} />}
            <LogTemperature everyMin={WATCH_EVERY_MIN} />
          </>
        )}
        {person.maySignHv && (
          <Row>
            <Field style={{ flex: 1 }}>
              {advice.watch && watch.state !== 'may end'
                ? person.role === 'lead'
                  ? 'The watch has not met its rule: a lead writes why it may end'
                  : 'The watch has not met its rule: only a lead may end it'
                : 'Why it may end'}
              <Input
                value={reason}
                maxLength={500}
                onChange={(e) => setReason(e.target.value)}
                placeholder={
                  advice.watch
                    ? 'Fell to ambient, cells outdoors, watched for two hours'
                    : 'Source found and isolated'
                }
              />
            </Field>
            <Button
              quiet
              style={{ alignSelf: 'end' }}
              isDisabled={write.busy || reason.trim().length < 3}
              onPress={() => void write.run(`/stops/${stop.id}/end`, { reason }).then((ok) => ok && onDone())}
            >
              End the stop
            </Button>
          </Row>
        )}
        {write.problem && <ProblemNote what={write.problem.what} accepted={write.problem.accepted} />}
        <Mute>
          Pressed by {stop.by}, {when(stop.at)}. General cautions; the maker’s emergency guide and the fire
          service come first.
        </Mute>
      </Stack>
    </Sheet>
  );
}
