import { LookFields, type Look } from './LookFields';
import { currencyUnit } from '../ui/units';
import { PART_KINDS, type PartKind, type StockPart } from '@cellmend/contract/stock';
import { CHEMISTRIES, chemistryName, InputProblem, type Chemistry } from '@cellmend/core/pack';
import { format } from 'date-fns';
import { useState, type ReactNode } from 'react';
import { useView } from '../shell/useView';
import { useDraft } from '../shell/useDraft';
import { Input, Select, TextArea, Field } from '../ui/Field';
import { Button, Row, Sheet, Stack } from '../ui/parts';
import { FormEnd } from '../ui/FormEnd';
import { Views } from '../ui/Tabs';
import { upper } from '../ui/words';
import { EMPTY, FIGURES, readFigures, readPrice, type Typed } from './figures';
import { useStockWrite } from './useStockWrite';

interface Draft {
  kind: PartKind;
  label: string;
  chemistry: Chemistry;
  groupCount: string;
  name?: string;
  revision: string;
  cellsParallel: string;
  connector: string;
  origin: string;
  price?: string;
  look?: Look;
  figures: Typed;
  /** Day of measuring; left out is today, empty is not known. */
  measuredOn?: string;
}
const FIRST: Draft = {
  kind: 'module',
  label: '',
  chemistry: 'nmc',
  groupCount: '',
  revision: '',
  cellsParallel: '',
  connector: '',
  origin: '',
  figures: EMPTY,
};
const WAYS = [
  ['one', 'One part'],
  ['table', 'A list'],
] as const;

/** Takes parts into stock: one by hand, or a list pasted as it is kept. */
export function TakeIn({ onDone }: { onDone: () => void }) {
  const [way, setWay] = useView('way', WAYS);
  return (
    <Sheet aria-label="Take in">
      <Stack>
        <Views of={WAYS} value={way} onChange={setWay} label="How it is taken in" />
        {way === 'one' ? <One onDone={onDone} /> : <List onDone={onDone} />}
      </Stack>
    </Sheet>
  );
}

const today = (): string => format(new Date(), 'yyyy-MM-dd');
const whole = (text: string): number | undefined => (text.trim() === '' ? undefined : Number(text));

function One({ onDone }: { onDone: () => void }) {
  const [draft, setDraft, clear] = useDraft<Draft>('stock.take-in', FIRST);
  const [problem, setProblem] = useState<InputProblem | null>(null);
  const write = useStockWrite();
  const set = (by: Partial<Draft>): void => setDraft({ ...draft, ...by });
  const module = draft.kind === 'module';
  const take = async (): Promise<void> => {
    setProblem(null);
    try {
      const figures = readFigures(draft.figures);
      const price = readPrice(draft.price ?? '');
      const facts = {
        ...(module ? { chemistry: draft.chemistry, groupCount: whole(draft.groupCount) } : {}),
        ...(!module && draft.name ? { name: draft.name } : {}),
        ...(draft.revision ? { revision: draft.revision } : {}),
        ...(draft.cellsParallel ? { cellsParallel: whole(draft.cellsParallel) } : {}),
        ...(draft.connector ? { connector: draft.connector } : {}),
        origin: draft.origin,
        ...(module ? draft.look : {}),
        ...(price === undefined ? {} : { price }),
      };
      const { kind, label } = draft;
      const measuredOn = (draft.measuredOn ?? today()) || null;
      const parts = [{ kind, label, facts, figures, measuredOn }];
      if (await write.run<StockPart[]>('/stock', { parts })) {
        clear();
        onDone();
      }
    } catch (e) {
      if (!(e instanceof InputProblem)) throw e;
      setProblem(e);
    }
  };
  const text = (name: keyof Draft & string, label: string, hint = '') => (
    <Field style={{ flex: '1 1 150px' }}>
      {label}
      <Input
        value={(draft[name] as string | undefined) ?? ''}
        placeholder={hint}
        maxLength={name === 'origin' ? 300 : 40}
        onChange={(e) => set({ [name]: e.target.value } as Partial<Draft>)}
      />
    </Field>
  );
  return (
    <>
      <Row>
        <Field style={{ flex: '1 1 150px' }}>
          Kind
          <Select value={draft.kind} onChange={(e) => set({ kind: e.target.value as PartKind })}>
            {PART_KINDS.map((k) => (
              <option key={k} value={k}>
                {upper(k)}
              </option>
            ))}
          </Select>
        </Field>
        {text('label', 'Label', 'the next one')}
        {!module && text('name', 'What it is', 'lid seal')}
        {module && (
          <>
            <Field style={{ flex: '1 1 150px' }}>
              Chemistry
              <Select
                value={draft.chemistry}
                onChange={(e) => set({ chemistry: e.target.value as Chemistry })}
              >
                {CHEMISTRIES.map((c) => (
                  <option key={c} value={c}>
                    {chemistryName(c)}
                  </option>
                ))}
              </Select>
            </Field>
            {text('groupCount', 'Groups in series', '4')}
          </>
        )}
      </Row>
      <Row>
        {text('revision', 'Revision or code')}
        {module && text('cellsParallel', 'Cells in parallel')}
        {text('connector', 'Connector')}
        {text('origin', 'Where it comes from')}
        {text('price', `Price${currencyUnit() ? `, ${currencyUnit()}` : ''}`)}
      </Row>
      {module && (
        <LookFields look={draft.look ?? {}} onChange={(part) => set({ look: { ...draft.look, ...part } })} />
      )}
      {module && (
        <FigureFields typed={draft.figures} onChange={(figures) => set({ figures })}>
          <Field style={{ flex: '1 1 150px' }}>
            Measured on
            <Input
              type="date"
              max={today()}
              value={draft.measuredOn ?? today()}
              onChange={(e) => set({ measuredOn: e.target.value })}
            />
          </Field>
        </FigureFields>
      )}
      <FormEnd problems={[problem, write.problem]} onNotNow={onDone}>
        <Button isDisabled={write.busy} onPress={() => void take()}>
          Take it in
        </Button>
      </FormEnd>
    </>
  );
}

/** What was measured; what is left empty was not. */
export function FigureFields({
  typed,
  onChange,
  children,
}: {
  typed: Typed;
  onChange: (typed: Typed) => void;
  children?: ReactNode;
}) {
  return (
    <Row style={{ flexWrap: 'wrap' }}>
      {FIGURES.map(({ id, name, hint }) => (
        <Field key={id} style={{ flex: '1 1 130px' }}>
          {name}
          <Input
            className="n"
            placeholder={hint}
            value={typed[id]}
            onChange={(e) => onChange({ ...typed, [id]: e.target.value })}
          />
        </Field>
      ))}
      {children}
    </Row>
  );
}

function List({ onDone }: { onDone: () => void }) {
  const [text, setText, clear] = useDraft('stock.table', '');
  const write = useStockWrite();
  const take = async (): Promise<void> => {
    if (await write.run<StockPart[]>('/stock/table', { text })) {
      clear();
      onDone();
    }
  };
  return (
    <>
      <Field>
        Rows from a spreadsheet, with their heading
        <small>
          chemistry and groups; also label, revision, parallel, connector, origin, capacity, resistance (mΩ),
          voltage, temperature, insulation (Ω), measured (the day). An empty cell was not measured; without
          its day a figure is asked for it.
        </small>
        <TextArea
          className="n"
          style={{ minHeight: 150 }}
          value={text}
          onChange={(e) => setText(e.currentTarget.value)}
          placeholder={'label,chemistry,groups,capacity,voltage\nS-201,nmc,4,101.2,14.66'}
        />
      </Field>
      <FormEnd problems={[write.problem]} onNotNow={onDone}>
        <Button isDisabled={write.busy || text.trim() === ''} onPress={() => void take()}>
          Take them in
        </Button>
      </FormEnd>
    </>
  );
}
