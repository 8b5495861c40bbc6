import { defaultOcvTable, type PackProfile } from '@cellmend/core/pack';
import { useState } from 'react';
import { CartesianGrid, Line, LineChart, ResponsiveContainer, XAxis, YAxis } from 'recharts';
import { Input, TextArea, Field } from '../ui/Field';
import { Button, ProblemNote, Row, Sheet, Stack } from '../ui/parts';
import { parseOcv, printOcv } from './form';

/** The rest voltage table as text, taken over as soon as it can be read. */
export function RestCurveTable({
  profile,
  onChange,
}: {
  profile: PackProfile;
  onChange: (part: Partial<PackProfile>) => void;
}) {
  const [text, setText] = useState(() => printOcv(profile.ocv));
  return (
    <Sheet>
      <Stack>
        <Field>
          Rest voltage table<small>Charge in %, volts per cell; paste two columns.</small>
          <TextArea
            className="n"
            style={{ minHeight: 180 }}
            value={text}
            onChange={(e) => {
              setText(e.currentTarget.value);
              const table = parseOcv(e.currentTarget.value);
              if (table) onChange({ ocv: table });
            }}
          />
        </Field>
        {!parseOcv(text) && (
          <ProblemNote what="The table cannot be read." accepted="Two numbers a line: 50 3.71" />
        )}
        <Row>
          <Button
            quiet
            onPress={() => {
              const table = defaultOcvTable(profile.chemistry);
              onChange({ ocv: table, ocvSource: 'typical for the chemistry, from memory' });
              setText(printOcv(table));
            }}
          >
            Typical for the chemistry
          </Button>
        </Row>
        <Field>
          Where the table comes from
          <Input
            value={profile.ocvSource ?? ''}
            maxLength={300}
            onChange={(e) => onChange({ ocvSource: e.target.value })}
          />
        </Field>
      </Stack>
    </Sheet>
  );
}

/** The table as a curve. */
export function RestCurve({ table }: { table: PackProfile['ocv'] }) {
  return (
    <Sheet>
      <ResponsiveContainer width="100%" height={220}>
        <LineChart
          data={table.map(([s, v]) => ({ s: s * 100, v }))}
          margin={{ top: 8, right: 12, bottom: 0, left: 0 }}
        >
          <CartesianGrid stroke="var(--line)" vertical={false} />
          <XAxis
            dataKey="s"
            type="number"
            domain={[0, 100]}
            tickFormatter={(v: number) => `${v} %`}
            stroke="var(--mute)"
            fontSize={12.5}
          />
          <YAxis
            domain={['auto', 'auto']}
            width={60}
            tickFormatter={(v: number) => `${v.toFixed(2)} V`}
            stroke="var(--mute)"
            fontSize={12.5}
          />
          <Line dataKey="v" stroke="var(--mat-text)" strokeWidth={2} dot={false} isAnimationActive={false} />
        </LineChart>
      </ResponsiveContainer>
    </Sheet>
  );
}
