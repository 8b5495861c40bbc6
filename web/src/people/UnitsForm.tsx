import type { Person } from '@cellmend/contract/people';
import { useState, type FormEvent } from 'react';
import { ApiProblem, send } from '../api/client';
import { useSession } from '../api/hooks';
import { Input, Select, Field } from '../ui/Field';
import { Button, Mute, Row, Sheet, Stack } from '../ui/parts';

/** How distances, temperatures, amounts and dates are shown and typed. */
export function UnitsForm({ person }: { person: Person }) {
  const { data, mutate } = useSession();
  const [told, setTold] = useState('');
  if (!data) return null;
  const may = person.role === 'lead';
  const { units } = data;
  const save = async (event: FormEvent<HTMLFormElement>): Promise<void> => {
    event.preventDefault();
    try {
      await send('PUT', '/units', Object.fromEntries(new FormData(event.currentTarget)));
      await mutate();
      setTold('Saved. It is shown so on every tablet once its page is looked at again.');
    } catch (e) {
      setTold(
        e instanceof ApiProblem ? e.message : 'The server is away; whether it was saved is not certain.',
      );
    }
  };
  return (
    <Sheet>
      <form onSubmit={(e) => void save(e)} key={JSON.stringify(units)}>
        <Stack>
          <h2>Units of this workshop</h2>
          <Row>
            <Field style={{ flex: 1 }}>
              Distances
              <Select name="distance" defaultValue={units.distance} disabled={!may}>
                <option value="km">kilometres</option>
                <option value="mi">miles</option>
              </Select>
            </Field>
            <Field style={{ flex: 1 }}>
              Temperatures
              <Select name="temperature" defaultValue={units.temperature} disabled={!may}>
                <option value="C">°C</option>
                <option value="F">°F</option>
              </Select>
            </Field>
            <Field style={{ flex: 1 }}>
              Dates
              <Select name="dateOrder" defaultValue={units.dateOrder} disabled={!may}>
                <option value="dmy">3 Mar 2026</option>
                <option value="mdy">Mar 3, 2026</option>
                <option value="ymd">2026 Mar 3</option>
              </Select>
            </Field>
            <Field style={{ flex: 1 }}>
              Currency
              <Input name="currency" maxLength={8} defaultValue={units.currency} disabled={!may} />
            </Field>
          </Row>
          {may && (
            <Row>
              <Button type="submit">Save units</Button>
              <Mute role="status">{told}</Mute>
            </Row>
          )}
        </Stack>
      </form>
    </Sheet>
  );
}
