import { lazyChart, type PropsOf } from '../../ui/lazyChart';
import { Field, Input, TextArea } from '../../ui/Field';
import { Sheet, Stack } from '../../ui/parts';
import { currencyUnit } from '../../ui/units';
import { SHEETS } from './sheetKinds';
import type { SheetTyped } from './useSheet';

const WarrantyFields = lazyChart<
  PropsOf<typeof import('./WarrantyFields').WarrantyFields>,
  typeof import('./WarrantyFields')
>(() => import('./WarrantyFields'), 'WarrantyFields', 72);

/** What the record does not know, and the sheet says. */
export function SheetFields({ sheet }: { sheet: SheetTyped }) {
  const { ending, told, setTold, notDone, setNotDone, estimate, setEstimate } = sheet;
  const { watch, watchBy, setWatchBy, watched, setWatched, quote, cost, setCost, costOk } = sheet;
  const { stands, warrantyTyped, setWarranty } = sheet;
  const { asks } = SHEETS[ending];
  return (
    <Sheet>
      <Stack>
        {asks && (
          <Field>
            {asks}
            <TextArea
              value={estimate}
              maxLength={2000}
              onChange={(e) => setEstimate(e.currentTarget.value)}
            />
          </Field>
        )}
        {watch && (
          <Field>
            The thermal watch is not over. Who carries it on, and until when?
            <Input value={watchBy} maxLength={200} onChange={(e) => setWatchBy(e.currentTarget.value)} />
          </Field>
        )}
        {ending === 'monitored' && (
          <Field>
            Who watches what, and until when
            <Input
              value={watched}
              placeholder="The owner, its delta near empty, until the end of May"
              maxLength={300}
              onChange={(e) => setWatched(e.currentTarget.value)}
            />
          </Field>
        )}
        <Field>
          What to expect
          <TextArea value={told} maxLength={4000} onChange={(e) => setTold(e.currentTarget.value)} />
        </Field>
        {stands && <WarrantyFields typed={warrantyTyped} onChange={setWarranty} />}
        {quote && (
          <Field style={{ maxWidth: 260 }}>
            What it came to{currencyUnit() && `, ${currencyUnit()}`}
            <Input className="n" inputMode="decimal" value={cost} onChange={(e) => setCost(e.target.value)} />
            {!costOk && <small role="alert">A figure, please.</small>}
          </Field>
        )}
        <Field>
          What was not done, or not seen
          <TextArea value={notDone} maxLength={4000} onChange={(e) => setNotDone(e.currentTarget.value)} />
        </Field>
      </Stack>
    </Sheet>
  );
}
