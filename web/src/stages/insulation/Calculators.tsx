import type { InsulationReport } from '@cellmend/core/insulation';
import { InputProblem } from '@cellmend/core/pack';
import { bleedDown, fuseEvidence, HARMLESS_J, highestPackV, preCharge } from '@cellmend/core/safety';
import { useState } from 'react';
import { useDraft } from '../../shell/useDraft';
import { ToggleButton } from 'react-aria-components';
import { CartesianGrid, Line, LineChart, ReferenceLine, ResponsiveContainer, XAxis, YAxis } from 'recharts';
import { useJobView } from '../../shell/jobContext';
import { Input, Field } from '../../ui/Field';
import { Chips } from '../../ui/Chips';
import { Button, Columns, Mute, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { fixed } from '../../ui/words';
import { useAdd } from './useAdd';
import { figure } from './view';

/** Pre-charge and bleed-down with their curves, and fuses as evidence. */
export function Calculators({ leak }: { leak: InsulationReport | null }) {
  const { pack, job } = useJobView();
  const p = pack.profile;
  const [f, setF] = useDraft(`${job.number}.figures`, {
    volts: fixed(leak?.packV ?? highestPackV(pack), 0),
    resistor: p.preChargeOhm ? String(p.preChargeOhm) : '40',
    bleeder: p.busBleederOhm ? `${p.busBleederOhm / 1000}k` : '150k',
    farad: p.busCapacitanceF ? `${p.busCapacitanceF * 1000}m` : '1m',
    load: '',
  });
  const values = {
    v: figure(f.volts),
    r: figure(f.resistor),
    b: figure(f.bleeder),
    c: figure(f.farad),
    l: f.load.trim() === '' ? Infinity : figure(f.load),
  };
  let up: ReturnType<typeof preCharge> | null = null;
  let down: ReturnType<typeof bleedDown> | null = null;
  let problem: InputProblem | null = null;
  try {
    if (values.v !== null && values.r !== null && values.c !== null && values.l !== null)
      up = preCharge(values.v, values.r, values.c, values.l);
    if (values.v !== null && values.b !== null && values.c !== null)
      down = bleedDown(values.v, values.b, values.c);
  } catch (e) {
    if (!(e instanceof InputProblem)) throw e;
    problem = e;
  }
  const input = (key: keyof typeof f, label: string) => (
    <Field style={{ flex: 1, minWidth: 96 }}>
      {label}
      <Input className="n" value={f[key]} onChange={(e) => setF({ ...f, [key]: e.target.value })} />
    </Field>
  );
  const curve = (of: (t: number) => number, span: number) =>
    Array.from({ length: 60 }, (_, i) => ({ t: (span * i) / 59, v: of((span * i) / 59) }));
  const t95 = up?.timeToS(0.95) ?? null;
  return (
    <>
      <Sheet>
        <Stack>
          <h2>How does the bus charge and empty?</h2>
          <Row>
            {input('volts', 'Pack, V')}
            {input('farad', 'Capacitors, F')}
            {input('resistor', 'Pre-charge, Ω')}
            {input('load', 'Bus load, Ω')}
            {input('bleeder', 'Bleeder, Ω')}
          </Row>
          {problem && <ProblemNote what={problem.what} where={problem.where} accepted={problem.accepted} />}
          <Columns>
            {up && (
              <div>
                <h3>
                  Pre-charge:{' '}
                  {t95 === null ? '95 % is never reached' : `95 % after ${fixed(t95 * 1000, 0)} ms`}
                </h3>
                <Plot
                  data={curve(up.voltageAt, 6 * up.tauS)}
                  line={0.95 * values.v!}
                  unit="ms"
                  scale={1000}
                />
                <Mute>
                  Peak {fixed(up.peakA, 1)} A, {fixed(up.resistorJ, 1)} J in the resistor, ends at{' '}
                  {fixed(up.finalV, 0)} V
                  {t95 === null &&
                    `: something on the bus draws ${fixed(up.restingW, 0)} W through it. Find that load first`}
                  .
                </Mute>
              </div>
            )}
            {down && (
              <div>
                <h3>
                  Bleed-down: below 60 V after{' '}
                  {down.waitS >= 120 ? `${fixed(down.waitS / 60, 1)} min` : `${fixed(down.waitS, 0)} s`}
                </h3>
                <Plot
                  data={curve(down.voltageAt, Math.max(3 * down.tauS, down.waitS * 1.1))}
                  line={60}
                  unit="s"
                  scale={1}
                />
                <Mute>
                  {fixed(down.energyJ, 1)} J stored; up to {HARMLESS_J} J counts as harmless.
                </Mute>
              </div>
            )}
          </Columns>
        </Stack>
      </Sheet>
      <Fuse leak={leak} />
    </>
  );
}

function Plot({
  data,
  line,
  unit,
  scale,
}: {
  data: { t: number; v: number }[];
  line: number;
  unit: string;
  scale: number;
}) {
  return (
    <ResponsiveContainer width="100%" height={150}>
      <LineChart data={data} margin={{ top: 8, right: 10, bottom: 0, left: 0 }}>
        <CartesianGrid stroke="var(--line)" vertical={false} />
        <XAxis
          dataKey="t"
          type="number"
          domain={[0, 'dataMax']}
          tickFormatter={(t: number) => `${fixed(t * scale, 0)} ${unit}`}
          stroke="var(--mute)"
          fontSize={12.5}
        />
        <YAxis
          width={58}
          tickFormatter={(v: number) => `${fixed(v, 0)} V`}
          stroke="var(--mute)"
          fontSize={12.5}
        />
        <ReferenceLine y={line} stroke="var(--ink)" strokeDasharray="2 3" />
        <Line dataKey="v" stroke="var(--mat-text)" strokeWidth={2.2} dot={false} isAnimationActive={false} />
      </LineChart>
    </ResponsiveContainer>
  );
}

function Fuse({ leak }: { leak: InsulationReport | null }) {
  const { person } = useJobView();
  const [fuse, setFuse] = useState<'main' | 'pyro'>('main');
  const [text, setText] = useState('');
  const { add, busy, problem } = useAdd();
  const ohm = figure(text);
  return (
    <Sheet>
      <Stack>
        <h2>Fuses: continuity as evidence</h2>
        <Row>
          <Chips
            selectionMode="single"
            disallowEmptySelection
            selectedKeys={[fuse]}
            onSelectionChange={(k) => setFuse([...k][0] as typeof fuse)}
            aria-label="Which fuse"
          >
            <ToggleButton id="main">Main fuse</ToggleButton>
            <ToggleButton id="pyro">Pyro fuse</ToggleButton>
          </Chips>
          <Field style={{ flexDirection: 'row', alignItems: 'center', gap: 10 }}>
            Out of circuit, Ω
            <Input
              className="n"
              style={{ width: 110 }}
              value={text}
              placeholder="0.002"
              onChange={(e) => setText(e.target.value)}
            />
          </Field>
          <Button
            isDisabled={busy || ohm === null || !person.mayWrite}
            onPress={() => void add({ observation: { kind: 'fuse', fuse, ohm } })}
          >
            Record
          </Button>
          <Button
            quiet
            isDisabled={busy || !person.mayWrite}
            onPress={() => void add({ observation: { kind: 'fuse', fuse, ohm: null } })}
          >
            Open, no continuity
          </Button>
        </Row>
        {ohm !== null && <p>{fuseEvidence(fuse, ohm).meaning}</p>}
        {problem && <ProblemNote what={problem.what} accepted={problem.accepted} />}
        {(leak?.fuses ?? []).map((x, i) => (
          <p key={i}>
            <b>{x.evidence.meaning}</b> {x.evidence.next}
          </p>
        ))}
        <Mute>A fuse is replaced with the maker’s part. It is never bridged, neither for a test.</Mute>
      </Stack>
    </Sheet>
  );
}
