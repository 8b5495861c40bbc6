import type { Stage } from '@cellmend/core/route';
import {
  outOfLine,
  parseQuantity,
  printQuantity,
  QUANTITIES,
  type Quantity,
  voltageAt,
} from '@cellmend/core/jot';
import { InputProblem, OUT_OF_BOUNDS, type VoltageState } from '@cellmend/core/pack';
import { useMemo, useState, type FormEvent } from 'react';
import { Dialog, ToggleButton } from 'react-aria-components';
import styled from 'styled-components';
import { DialogBox, Overlay } from '../ui/dialog';
import { Chips, Button, Mute, Row, Stack } from '../ui/parts';
import { keep } from './entries';
import { useJobView } from './jobContext';

const Big = styled.input`
  font-size: 40px;
  font-family: 'Atkinson Hyperlegible Mono Variable', monospace;
  width: 100%;
  height: 76px;
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
const Trail = styled.ol`
  list-style: none;
  margin: 0;
  padding: 0;
  display: flex;
  gap: 6px;
  flex-wrap: wrap;
  li {
    padding: 5px 9px;
    border-radius: 5px;
    background: var(--chip);
    font-size: 14px;
  }
  li[data-odd='true'] {
    background: var(--sus-soft);
    color: var(--sus);
    font-weight: 700;
    box-shadow: inset 3px 0 0 var(--sus);
  }
  li[data-skipped='true'] {
    border: 1px dotted var(--edge);
    background: none;
    color: var(--mute);
  }
`;

const KINDS: [Quantity, string][] = [
  ['voltage', 'Voltage'],
  ['insulation', 'Insulation'],
  ['resistance', 'Resistance'],
  ['temperature', 'Temperature'],
  ['torque', 'Torque'],
];
/** Least spread that counts, per quantity: a meter's last digit. */
const FLOOR: Record<Quantity, number> = {
  voltage: 0.005,
  insulation: 1e6,
  resistance: 2e-5,
  temperature: 0.5,
  capacity: 0.3,
  torque: 0.3,
  current: 0.1,
};

interface Taken {
  module: string;
  value: number | null;
  odd: boolean;
  /** Dead, reversed, over-discharged or over-charged by itself. */
  beyond: VoltageState | null;
}

/** Steps through the modules as they lie: a value and Enter goes on, minus skips, what is out of line is marked at once. */
export function Walk({ stage, usual, onClose }: { stage: Stage; usual: Quantity; onClose: () => void }) {
  const { pack, job, select } = useJobView();
  const order = useMemo(
    () =>
      [...pack.modules].sort(
        (a, b) => a.place.tier - b.place.tier || a.place.column - b.place.column || a.place.row - b.place.row,
      ),
    [pack],
  );
  const [kind, setKind] = useState<Quantity>(usual);
  const [taken, setTaken] = useState<Taken[]>([]);
  const [text, setText] = useState('');
  const [problem, setProblem] = useState<string | null>(null);
  const module = order[taken.length];
  const next = (entry: Taken): void => {
    setTaken((t) => [...t, entry]);
    setText('');
    setProblem(null);
    const following = order[taken.length + 1];
    if (following) select(following.index);
  };
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    if (!module) return;
    if (/^[-−–]?$/.test(text.trim())) {
      if (text.trim() !== '') next({ module: module.id, value: null, odd: false, beyond: null });
      return;
    }
    try {
      const { value, quantity } = parseQuantity(text);
      const { least, most, unit } = QUANTITIES[kind];
      if (
        (quantity !== null && quantity !== kind && quantity !== 'ohms') ||
        !(value >= least && value <= most)
      )
        throw new InputProblem(
          'walk',
          `“${text}” cannot be a ${kind}.`,
          '',
          `A value in ${unit}, or minus to skip.`,
        );
      const typed =
        kind === 'voltage' ? voltageAt(value, { kind: 'module', moduleIndex: module.index }, pack) : null;
      if (typed?.judged.state === 'impossible')
        throw new InputProblem('walk', typed.judged.says, '', 'What the meter shows, or minus to skip.');
      const beyond = typed && OUT_OF_BOUNDS.has(typed.judged.state) ? typed.judged.state : null;
      const before = taken.flatMap((t) => (t.value === null ? [] : [t.value]));
      const odd = beyond !== null || (before.length > 0 && outOfLine(before, value, FLOOR[kind]));
      void keep(
        {
          type: 'reading',
          place: { kind: 'module', moduleIndex: module.index },
          quantity: kind,
          value,
          conditions: typed?.perGroup ? 'per group' : 'walk',
        },
        pack,
        job.number,
        stage,
      ).then(() => next({ module: module.id, value, odd, beyond }));
    } catch (e) {
      if (!(e instanceof InputProblem)) throw e;
      setProblem(`${e.what} ${e.accepted}`);
    }
  };
  return (
    <Overlay isOpen onOpenChange={(open) => !open && onClose()} isDismissable={false}>
      <DialogBox>
        <Dialog aria-label="Walk">
          <Stack $gap={14}>
            <Row>
              <h2>Walk: {module ? module.id : 'done'}</h2>
              <Mute>
                {Math.min(taken.length + 1, order.length)} of {order.length}
                {module && ` · ${pack.tiers[module.place.tier]}, row ${module.place.row + 1}`}
              </Mute>
            </Row>
            {taken.length === 0 && (
              <Chips
                selectionMode="single"
                disallowEmptySelection
                selectedKeys={[kind]}
                onSelectionChange={(k) => setKind([...k][0] as Quantity)}
                aria-label="What is measured"
              >
                {KINDS.map(([id, name]) => (
                  <ToggleButton key={id} id={id}>
                    {name}
                  </ToggleButton>
                ))}
              </Chips>
            )}
            {module ? (
              <form onSubmit={submit}>
                <Stack $gap={8}>
                  <Big
                    autoFocus
                    inputMode="decimal"
                    autoComplete="off"
                    aria-label={`${kind} of ${module.id}`}
                    value={text}
                    onChange={(e) => setText(e.target.value)}
                  />
                  <Mute role={problem ? 'alert' : undefined}>
                    {problem ?? `In ${QUANTITIES[kind].unit}. Enter goes on, minus and Enter skips.`}
                  </Mute>
                </Stack>
              </form>
            ) : (
              <p>
                {taken.filter((t) => t.value !== null).length} values kept,{' '}
                {taken.filter((t) => t.odd).length} out of line.
              </p>
            )}
            <Trail aria-label="Taken">
              {taken.slice(-16).map((t) => (
                <li key={t.module} data-odd={t.odd} data-skipped={t.value === null}>
                  {t.module}{' '}
                  <span className="n">{t.value === null ? 'skipped' : printQuantity(t.value, kind)}</span>
                  {t.odd && ` · ${t.beyond ?? 'out of line'}`}
                </li>
              ))}
            </Trail>
            <Row>
              <Button quiet onPress={onClose}>
                {module ? 'Stop here' : 'Close'}
              </Button>
            </Row>
          </Stack>
        </Dialog>
      </DialogBox>
    </Overlay>
  );
}
