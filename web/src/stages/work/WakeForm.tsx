import type { Job } from '@cellmend/contract/jobs';
import { findingOf } from '@cellmend/contract/findingOf';
import { InputProblem } from '@cellmend/core/pack';
import { judgeWake, wakeOfLive, wakeUnit, type Wake, type WakeJudged } from '@cellmend/core/stripdown';
import { Check, Circle, TriangleAlert } from 'lucide-react';
import { ToggleButton } from 'react-aria-components';
import { useLiveState } from '../../api/live';
import { useJobView } from '../../shell/jobContext';
import { useDraft } from '../../shell/useDraft';
import { useWrite } from '../../shell/useWrite';
import { Chips } from '../../ui/Chips';
import { Field, Input } from '../../ui/Field';
import { Button, LinkButton, Mute, PlainList, ProblemNote, Row, Stack } from '../../ui/parts';
import { celsiusOf } from '../../ui/celsius';
import { shownTemperature, temperatureUnit, told } from '../../ui/units';
import { when } from '../../ui/words';

const EMPTY = {
  replies: '',
  highestV: '',
  lowestV: '',
  sumV: '',
  packV: '',
  coldestC: '',
  warmestC: '',
  codes: '',
  noCode: false,
};
type Typed = typeof EMPTY;
const FIELDS: readonly [keyof Omit<Typed, 'codes' | 'noCode'>, string][] = [
  ['replies', 'Channels that reply'],
  ['highestV', 'Highest channel, V'],
  ['lowestV', 'Lowest channel, V'],
  ['packV', 'Pack, V'],
  ['sumV', 'Sum of channels, V'],
  ['coldestC', 'Coldest'],
  ['warmestC', 'Warmest'],
];

/** A figure: null where nothing is typed, undefined where it cannot be read. */
const figure = (text: string): number | null | undefined => {
  if (text.trim() === '') return null;
  const n = Number(text.trim().replace(',', '.'));
  return Number.isFinite(n) ? n : undefined;
};

function read(t: Typed): { wake: Wake; unread: string[] } {
  const unread: string[] = [];
  const of = (key: (typeof FIELDS)[number][0]): number | null => {
    const n = figure(t[key]);
    if (n === undefined || (key === 'replies' && n !== null && !Number.isInteger(n))) unread.push(key);
    return n ?? null;
  };
  const warm = (key: 'coldestC' | 'warmestC'): number | null => {
    if (t[key].trim() === '') return null;
    try {
      return celsiusOf(t[key]);
    } catch (e) {
      if (!(e instanceof InputProblem)) throw e;
      unread.push(key);
      return null;
    }
  };
  const codes = t.codes.split(/[\s,;]+/).filter(Boolean);
  return {
    unread,
    wake: {
      replies: of('replies'),
      highestV: of('highestV'),
      lowestV: of('lowestV'),
      sumV: of('sumV'),
      packV: of('packV'),
      coldestC: warm('coldestC'),
      warmestC: warm('warmestC'),
      codes: codes.length > 0 ? codes : t.noCode ? [] : null,
    },
  };
}

/** The closed but unsealed pack is woken: what its management unit shows, judged while it is typed. */
export function WakeForm({ step, onDone }: { step: Job['steps'][number]; onDone: () => void }) {
  const { job, pack, findings } = useJobView();
  const [typed, setTyped, clear] = useDraft<Typed>(`${job.number}.wake`, EMPTY);
  const write = useWrite();
  const { wake, unread } = read(typed);
  const unit = wakeUnit(pack);
  const mixed = unit.count !== pack.channels.length;
  const judged = judgeWake(pack, wake);
  const any = Object.values(wake).some((v) => v !== null);
  // What a scan of the woken pack tells need not be typed; whether it is of this pack as it is closed now is said by a person.
  const latest = findingOf(findings, 'spread');
  const take = (): void => {
    const told = latest!.result.settledV.flatMap((v, i) =>
      v === null ? [] : [{ v, each: (v * unit.cells) / pack.channels[i]!.cells }],
    );
    if (told.length === 0) return;
    const known = told.map((t) => t.each);
    setTyped({
      ...typed,
      replies: String(known.length),
      highestV: Math.max(...known).toFixed(3),
      lowestV: Math.min(...known).toFixed(3),
      sumV: known.length === pack.channels.length ? told.reduce((s, t) => s + t.v, 0).toFixed(1) : '',
    });
  };
  const live = useLiveState(job.number);
  const reading = live?.state === 'reading' && live.voltageV.some((v) => v !== null);
  const takeLive = (): void => {
    const w = wakeOfLive(pack, live!);
    const text = (v: number | null, digits: number): string => (v === null ? '' : v.toFixed(digits));
    setTyped({
      ...typed,
      replies: String(w.replies),
      highestV: text(w.highestV, 3),
      lowestV: text(w.lowestV, 3),
      sumV: text(w.sumV, 1),
      coldestC: w.coldestC === null ? typed.coldestC : String(shownTemperature(w.coldestC)),
      warmestC: w.warmestC === null ? typed.warmestC : String(shownTemperature(w.warmestC)),
      codes: w.codes?.join(' ') ?? '',
      noCode: w.codes?.length === 0,
    });
  };
  const record = async (): Promise<void> => {
    const body = { check: step.evidence, place: step.place, passed: judged.passed, wake };
    if (await write.run('/checks', body)) {
      clear();
      onDone();
    }
  };
  return (
    <Stack>
      <Row style={{ flexWrap: 'wrap', alignItems: 'flex-end' }}>
        {FIELDS.map(([key, label]) => (
          <Field key={key} style={{ flex: '1 1 130px' }}>
            {key === 'replies' ? `${label}, of ${pack.channels.length}` : label}
            {mixed && (key === 'highestV' || key === 'lowestV') ? ' a cell' : ''}
            {key === 'coldestC' || key === 'warmestC' ? `, ${temperatureUnit()}` : ''}
            <Input
              className="n"
              inputMode="decimal"
              value={typed[key]}
              onChange={(e) => setTyped({ ...typed, [key]: e.target.value })}
            />
            {unread.includes(key) && <small role="alert">A figure, please.</small>}
          </Field>
        ))}
        <Field style={{ flex: '2 1 200px' }}>
          Codes that are set
          <Input
            value={typed.codes}
            placeholder="P0B3C P0A1F"
            maxLength={400}
            onChange={(e) => setTyped({ ...typed, codes: e.target.value })}
          />
        </Field>
        <Chips
          selectionMode="single"
          selectedKeys={typed.noCode ? ['none'] : []}
          onSelectionChange={(k) => setTyped({ ...typed, noCode: [...k].length > 0 })}
          aria-label="Codes"
        >
          <ToggleButton id="none">Read, none set</ToggleButton>
        </Chips>
      </Row>
      <Row style={{ flexWrap: 'wrap' }}>
        {reading ? (
          <>
            <Button quiet onPress={takeLive}>
              As the vehicle reads now
            </Button>
            <Mute style={{ flex: 1 }}>
              {live.voltageV.filter((v) => v !== null).length} of {pack.channels.length} channels reply
              {live.codesRead ? '' : ', codes are still being asked'}. The pack’s own voltage is measured
              beside it.
            </Mute>
          </>
        ) : (
          <>
            <LinkButton $quiet to={`/jobs/${job.number}/scan?view=live`}>
              Read it live
            </LinkButton>
            <Mute style={{ flex: 1 }}>
              Through its gateway, under Scan; while it is read, the figures can be taken over here.
            </Mute>
          </>
        )}
      </Row>
      {latest && (
        <Row style={{ flexWrap: 'wrap' }}>
          <Button quiet onPress={take}>
            From the latest scan
          </Button>
          <Mute style={{ flex: 1 }}>
            Taken in {when(latest.createdAt)}: channels, highest, lowest and sum. Only if it was taken of the
            closed pack.
          </Mute>
        </Row>
      )}
      {any && <WakePoints judged={judged} />}
      {write.problem && <ProblemNote what={write.problem.what} accepted={write.problem.accepted} />}
      <Row>
        <Button isDisabled={write.busy || !any || unread.length > 0} onPress={() => void record()}>
          {judged.passed ? 'Record: it woke as it should' : 'Record: not passed'}
        </Button>
        {any && !judged.passed && (
          <Mute>
            {judged.points.filter((p) => p.state === 'missing').length} things are still to be looked at.
          </Mute>
        )}
      </Row>
    </Stack>
  );
}

function WakePoints({ judged }: { judged: WakeJudged }) {
  return (
    <PlainList aria-label="What it shows" style={{ gap: 4 }}>
      {judged.points.map((p) => (
        <li key={p.id} style={{ display: 'flex', gap: 8, alignItems: 'baseline' }}>
          {p.state === 'right' ? (
            <Check size={16} style={{ flex: 'none', alignSelf: 'center' }} aria-label="right" />
          ) : p.state === 'wrong' ? (
            <TriangleAlert size={16} style={{ flex: 'none', alignSelf: 'center' }} aria-label="wrong" />
          ) : (
            <Circle
              size={14}
              style={{ flex: 'none', alignSelf: 'center' }}
              aria-label={p.state === 'open' ? 'tells nothing here' : 'not looked at'}
            />
          )}
          <span>{p.state === 'wrong' ? <b>{told(p.says)}</b> : told(p.says)}</span>
        </li>
      ))}
    </PlainList>
  );
}
