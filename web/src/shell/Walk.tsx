import { GATED_STAGES, STAGE_FACTS, type Stage } from '@cellmend/core/route';
import { placeName, printQuantity, QUANTITIES, type Place, type Quantity } from '@cellmend/core/jot';
import { ChevronLeft, ChevronRight, SkipForward } from 'lucide-react';
import { startTransition, useEffect, useMemo, useRef, useState, type FormEvent } from 'react';
import { Button as AriaButton, Dialog, ToggleButton } from 'react-aria-components';
import { NavLink } from 'react-router';
import styled from 'styled-components';
import { DialogBox, Overlay } from '../ui/dialog';
import { Chips } from '../ui/Chips';
import { Button, Mute, ProblemNote, Row, Stack } from '../ui/parts';
import { bareTemperature, temperatureUnit } from '../ui/units';
import { printIds } from '../packs/form';
import { keep } from './entries';
import { useJobView } from './jobContext';
import { placesOf, stepOf, type Round, type Taken, type WalkBy } from './walkRound';

const Big = styled.input`
  font-size: var(--t-huge);
  font-family: 'Atkinson Hyperlegible Mono Variable', monospace;
  width: 100%;
  height: 84px;
  text-align: right;
  padding: 0 18px;
  border: 2px solid var(--edge);
  border-radius: 8px;
  background: var(--ground);
  color: var(--ink);
  &:focus {
    outline: 3px solid var(--mat-text);
  }
`;
const Where = styled.h2`
  font-size: var(--t-big);
  line-height: 1.1;
  margin: 0;
`;
const Trail = styled.ol`
  list-style: none;
  margin: 0;
  padding: 0;
  display: flex;
  gap: 6px;
  flex-wrap: wrap;
`;
const Mark = styled(AriaButton)<{ $odd: boolean; $state: Taken['state'] }>`
  border: 0;
  padding: 0 10px;
  min-height: 44px;
  border-radius: 5px;
  background: var(--chip);
  color: var(--ink);
  font-size: var(--t-m);
  cursor: pointer;
  ${(p) => p.$odd && 'background: var(--sus-soft); color: var(--sus); font-weight: 700; box-shadow: inset 3px 0 0 var(--sus);'}
  ${(p) => p.$state !== 'kept' && 'border: 1px dotted var(--edge); background: none;'}
  ${(p) => p.$state === 'skipped' && 'color: var(--mute);'}
`;
const Steps = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr) minmax(0, 1.6fr);
  gap: 10px;
  > * {
    min-height: 56px;
    justify-content: center;
  }
`;

const BY: [WalkBy, string][] = [
  ['modules', 'Modules'],
  ['groups', 'Groups'],
  ['joints', 'Joints'],
  ['boards', 'Boards'],
];
const KINDS: [Quantity, string][] = [
  ['voltage', 'Voltage'],
  ['insulation', 'Insulation'],
  ['resistance', 'Resistance'],
  ['temperature', 'Temperature'],
  ['capacity', 'Capacity'],
  ['torque', 'Torque'],
];
/** What is measured of a place that is no module or group. */
const ONLY: Partial<Record<WalkBy, readonly Quantity[]>> = {
  joints: ['resistance', 'temperature', 'torque'],
  boards: ['voltage', 'temperature', 'resistance', 'insulation'],
};
/** Places shown of what was taken. */
const TRAIL = 12;

const storeKey = (job: number): string => `cellmend.walk.${job}`;
function kept(job: number): Round | null {
  try {
    return JSON.parse(localStorage.getItem(storeKey(job)) ?? 'null') as Round | null;
  } catch {
    return null;
  }
}

/** What has to be before anything is walked: none where nothing is in the way. */
function shut(stage: Stage, round: Round, gateHolds: boolean): string {
  if (gateHolds) return '';
  if ((GATED_STAGES as readonly string[]).includes(stage))
    return `${STAGE_FACTS[stage].name} is closed by the gate: no reading is taken there before the pack is proven dead.`;
  if (round.kind === 'torque' || round.by === 'joints')
    return 'Joints are inside the pack: no reading is taken there before it is proven dead.';
  return '';
}

/**
 * Steps through modules, groups, joints or sense boards as they lie: a value and Enter goes on, minus skips, what is out of line is
 * marked at once. The round stays on this tablet until it is done or a new one is begun.
 */
export function Walk({ stage, usual, onClose }: { stage: Stage; usual: Quantity; onClose: () => void }) {
  const { pack, job, select } = useJobView();
  const [round, setRound] = useState<Round>(
    () => kept(job.number) ?? { by: 'modules', kind: usual, at: 0, taken: {} },
  );
  // Figures of one burst come faster than the page is drawn: what counts is held here.
  const held = useRef(round);
  const input = useRef<HTMLInputElement>(null);
  const order = useMemo(() => placesOf(round.by, pack), [round.by, pack]);
  const put = (next: Round): void => {
    held.current = next;
    localStorage.setItem(storeKey(job.number), JSON.stringify(next));
    setRound(next);
  };
  const place: Place | undefined = order[round.at];
  useEffect(() => {
    const module =
      place?.kind === 'module'
        ? place.moduleIndex
        : place?.kind === 'channel'
          ? pack.channels[place.channelIndex]!.moduleIndices[0]
          : undefined;
    if (module !== undefined) startTransition(() => select(module));
  }, [place, pack, select]);

  const enter = (raw: string): void => {
    const step = stepOf(held.current, raw, order, pack, bareTemperature());
    let { round: next } = step;
    if (step.reading) {
      const name = placeName(step.reading.place, pack);
      const { id } = keep(
        step.reading,
        pack,
        job.number,
        stage,
        step.corrects ? { supersedes: step.corrects, reason: 'taken again on the walk' } : undefined,
      );
      next = { ...next, taken: { ...next.taken, [name]: { ...next.taken[name]!, id } } };
    }
    put(next);
  };
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    // What the field holds now, at this key press: the next key may be in the queue already.
    const raw = input.current?.value ?? '';
    if (input.current) input.current.value = '';
    enter(raw);
  };
  const goTo = (at: number): void => {
    put({ ...held.current, at: Math.max(0, Math.min(order.length, at)) });
    input.current?.focus();
  };
  const begin = (by: WalkBy, kind: Quantity): void =>
    put({
      by,
      kind: ONLY[by]?.includes(kind) === false ? ONLY[by][0]! : kind,
      at: 0,
      taken: {},
    });

  const taken = order.flatMap((p, i) => {
    const name = placeName(p, pack);
    const t = round.taken[name];
    return t ? [{ ...t, name, i }] : [];
  });
  const before = taken.filter((t) => t.i < round.at).slice(-TRAIL);
  const unread = taken.filter((t) => t.state === 'unread');
  const gate = shut(stage, round, job.gate.holds);
  const here = place && round.taken[placeName(place, pack)];
  const kinds = KINDS.filter(([k]) => ONLY[round.by]?.includes(k) ?? true);
  return (
    <Overlay isOpen onOpenChange={(open) => !open && onClose()} isDismissable={false}>
      <DialogBox>
        <Dialog aria-label="Walk">
          <Stack $gap={14}>
            <Row>
              <Where>{place ? placeName(place, pack) : 'All taken'}</Where>
              <Mute>
                {Math.min(round.at + 1, order.length)} of {order.length}
                {place?.kind === 'module' &&
                  ` · ${pack.tiers[pack.modules[place.moduleIndex]!.place.tier]}, row ${pack.modules[place.moduleIndex]!.place.row + 1}`}
                {place?.kind === 'channel' &&
                  ` · ${pack.modules[pack.channels[place.channelIndex]!.moduleIndices[0] ?? 0]!.id}`}
                {place?.kind === 'board' &&
                  ` · ${printIds(pack.profile.boards![place.boardIndex]!.channels)}${round.kind === 'voltage' ? ', all together at its plug' : ''}`}
              </Mute>
            </Row>
            {taken.length === 0 && (
              <>
                <Chips
                  selectionMode="single"
                  disallowEmptySelection
                  selectedKeys={[round.by]}
                  onSelectionChange={(k) => begin([...k][0] as WalkBy, round.kind)}
                  aria-label="What is walked along"
                >
                  {BY.filter(([by]) => placesOf(by, pack).length > 0).map(([id, name]) => (
                    <ToggleButton key={id} id={id}>
                      {name}
                    </ToggleButton>
                  ))}
                </Chips>
                <Chips
                  selectionMode="single"
                  disallowEmptySelection
                  selectedKeys={[round.kind]}
                  onSelectionChange={(k) => begin(round.by, [...k][0] as Quantity)}
                  aria-label="What is measured"
                >
                  {kinds.map(([id, name]) => (
                    <ToggleButton key={id} id={id}>
                      {name}
                    </ToggleButton>
                  ))}
                </Chips>
              </>
            )}
            {gate !== '' ? (
              <>
                <ProblemNote what={gate} />
                <NavLink to={`/jobs/${job.number}/make-safe`} onClick={onClose}>
                  Go to Make safe
                </NavLink>
              </>
            ) : place ? (
              <form onSubmit={submit}>
                <Stack $gap={10}>
                  <Big
                    ref={input}
                    autoFocus
                    inputMode="decimal"
                    autoComplete="off"
                    defaultValue=""
                    aria-label={`${round.kind} of ${placeName(place, pack)}`}
                  />
                  {here && here.state !== 'skipped' ? (
                    <Mute role={here.state === 'unread' ? 'alert' : undefined}>
                      {here.state === 'unread'
                        ? `“${here.raw}” was not understood. ${here.says}`
                        : `Taken: ${here.raw}. A new figure corrects it.`}
                    </Mute>
                  ) : (
                    <Mute>
                      In {round.kind === 'temperature' ? temperatureUnit() : QUANTITIES[round.kind].unit}.
                      Enter goes on, minus skips, a scanned label goes there.
                    </Mute>
                  )}
                  <Steps>
                    <Button quiet isDisabled={round.at === 0} onPress={() => goTo(round.at - 1)}>
                      <ChevronLeft size={20} aria-hidden /> Back
                    </Button>
                    <Button quiet onPress={() => enter('-')}>
                      Skip <SkipForward size={18} aria-hidden />
                    </Button>
                    <Button type="submit">
                      Next <ChevronRight size={20} aria-hidden />
                    </Button>
                  </Steps>
                </Stack>
              </form>
            ) : (
              <p>
                {taken.filter((t) => t.state === 'kept').length} values kept,{' '}
                {taken.filter((t) => t.state === 'kept' && t.odd).length} out of line,{' '}
                {taken.filter((t) => t.state === 'skipped').length} skipped.
              </p>
            )}
            {unread.length > 0 && (
              <p role="alert">
                <b>
                  {unread.length === 1 ? 'One figure was' : `${unread.length} figures were`} not understood
                </b>{' '}
                and is not stored: {unread.map((t) => `${t.name} “${t.raw}”`).join(', ')}. Press the place and
                type it again.
              </p>
            )}
            <Trail aria-label="Taken">
              {(place ? before : taken.filter((t) => t.odd))
                .concat(unread.filter((t) => place && !before.some((b) => b.name === t.name)))
                .map((t) => (
                  <li key={t.name}>
                    <Mark $odd={t.odd} $state={t.state} onPress={() => goTo(t.i)}>
                      {t.name}{' '}
                      <span className="n">
                        {t.state === 'skipped'
                          ? 'skipped'
                          : t.state === 'unread'
                            ? `“${t.raw}”?`
                            : t.value === null
                              ? t.raw
                              : printQuantity(t.value, round.kind)}
                      </span>
                      {t.state === 'kept' && t.odd && ` · ${t.says}`}
                    </Mark>
                  </li>
                ))}
            </Trail>
            <Row>
              <Button quiet onPress={onClose}>
                {place ? 'Stop here, go on later' : 'Close'}
              </Button>
              {taken.length > 0 && (
                <Button quiet onPress={() => begin(round.by, round.kind)}>
                  Begin a new round
                </Button>
              )}
            </Row>
          </Stack>
        </Dialog>
      </DialogBox>
    </Overlay>
  );
}
