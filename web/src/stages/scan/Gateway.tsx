import type { Definition } from '@cellmend/contract/scans';
import { useState, type ReactNode } from 'react';
import { useDefinitions } from '../../api/hooks';
import { Input, Select, Field } from '../../ui/Field';
import { Row } from '../../ui/parts';

/** Where a vehicle is asked, and by which definitions; null while that is not said. */
export interface Source {
  kind: 'socketcand';
  host: string;
  port: number;
  bus: string;
  definitionId: string;
}

/** The gateway that a vehicle is read through, as it is typed. */
export function useGateway(): { source: Source | null; fields: ReactNode } {
  const { data: definitions } = useDefinitions();
  const [form, setForm] = useState({ host: '127.0.0.1', port: '29536', bus: 'can0', definitionId: '' });
  const asked: Definition[] = (definitions ?? []).filter((d) => d.kind === 'uds');
  const chosen = form.definitionId || asked[0]?.id || '';
  const source: Source | null =
    chosen !== '' && /^\d+$/.test(form.port)
      ? { kind: 'socketcand', host: form.host, port: Number(form.port), bus: form.bus, definitionId: chosen }
      : null;
  const fields = (
    <Row style={{ flexWrap: 'wrap' }}>
      <Field style={{ flex: '2 1 150px' }}>
        Gateway (socketcand)
        <Input value={form.host} onChange={(e) => setForm({ ...form, host: e.target.value })} />
      </Field>
      <Field style={{ flex: '1 1 80px' }}>
        Port
        <Input
          inputMode="numeric"
          value={form.port}
          onChange={(e) => setForm({ ...form, port: e.target.value })}
        />
      </Field>
      <Field style={{ flex: '1 1 80px' }}>
        Bus
        <Input value={form.bus} onChange={(e) => setForm({ ...form, bus: e.target.value })} />
      </Field>
      <Field style={{ flex: '2 1 150px' }}>
        Definitions
        <Select value={chosen} onChange={(e) => setForm({ ...form, definitionId: e.target.value })}>
          {asked.length === 0 && <option value="">none added yet</option>}
          {asked.map((d) => (
            <option key={d.id} value={d.id}>
              {d.name}
            </option>
          ))}
        </Select>
      </Field>
    </Row>
  );
  return { source, fields };
}
