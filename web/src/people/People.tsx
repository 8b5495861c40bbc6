import type { NewPerson, Person } from '@cellmend/contract/people';
import { GLOVE_CLASSES } from '@cellmend/core/safety';
import { useState, type FormEvent } from 'react';
import useSWR from 'swr';
import { ApiProblem, get, send } from '../api/client';
import { WorkshopFrame } from '../shell/Header';
import { Field, Input, Select } from '../ui/Field';
import { Button, DataTable, Mute, Page, ProblemNote, Row, Sheet, Stack, Unseen } from '../ui/parts';
import { day } from '../ui/words';
import { Account } from './Account';
import { UnitsForm } from './UnitsForm';
import { Workshop } from './Workshop';

/** Somebody else who holds that level has seen the certificate, and says which. */
function Countersign({ person, onDone }: { person: Person; onDone: () => void }) {
  const [open, setOpen] = useState(false);
  const [said, setSaid] = useState('');
  const sign = async (event: FormEvent<HTMLFormElement>): Promise<void> => {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    setSaid('');
    try {
      await send('POST', `/people/${person.id}/countersign`, {
        hvIssuer: String(form.get('hvIssuer')),
        hvNumber: String(form.get('hvNumber')),
      });
      setOpen(false);
      onDone();
    } catch (e) {
      setSaid(e instanceof ApiProblem ? e.message : 'The server is away; nothing was signed.');
    }
  };
  if (!open)
    return (
      <div>
        <Button quiet onPress={() => setOpen(true)}>
          Countersign
        </Button>
      </div>
    );
  return (
    <form onSubmit={(e) => void sign(e)} aria-label={`Countersign the level of ${person.name}`}>
      <Stack>
        <Field>
          Certificate from
          <Input name="hvIssuer" maxLength={120} required defaultValue={person.hvIssuer} />
        </Field>
        <Field>
          Certificate number
          <Input name="hvNumber" maxLength={80} required defaultValue={person.hvNumber} />
        </Field>
        {said && <ProblemNote what={said} />}
        <Row>
          <Button type="submit">I have seen it</Button>
          <Button quiet onPress={() => setOpen(false)}>
            Cancel
          </Button>
        </Row>
      </Stack>
    </form>
  );
}

/** People, their roles and qualifications; a lead adds and changes. */
export function People({ person }: { person: Person }) {
  const { data, mutate } = useSWR<Person[]>('/people', get);
  const [editing, setEditing] = useState<string | 'new' | null>(null);
  const [problem, setProblem] = useState<ApiProblem | null>(null);
  const save = async (event: FormEvent<HTMLFormElement>, id: string | null): Promise<void> => {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    const facts = {
      role: String(form.get('role')) as NewPerson['role'],
      hvLevel: Number(form.get('hvLevel')),
      hvUntil: String(form.get('hvUntil')) || null,
      hvIssuer: String(form.get('hvIssuer')),
      hvNumber: String(form.get('hvNumber')),
      gloveClass: String(form.get('gloveClass')) || null,
      gloveTested: String(form.get('gloveTested')) || null,
    };
    setProblem(null);
    try {
      if (id) {
        await send('PATCH', `/people/${id}`, {
          ...facts,
          ...(form.has('active') ? { active: form.get('active') === 'yes' } : {}),
        });
        const password = String(form.get('newPassword') ?? '');
        if (password) await send('PUT', `/people/${id}/password`, { password });
      } else
        await send('POST', '/people', {
          ...facts,
          name: String(form.get('name')),
          password: String(form.get('password')),
        });
      setEditing(null);
      await mutate();
    } catch (e) {
      setProblem(
        e instanceof ApiProblem
          ? e
          : new ApiProblem({
              type: '',
              title: '',
              status: 0,
              detail: 'The server is away; whether it was saved is not certain.',
            }),
      );
    }
  };
  const form = (p: Person | null) => (
    <form onSubmit={(e) => void save(e, p?.id ?? null)}>
      <Stack>
        {problem && (
          <ProblemNote
            what={problem.message}
            where={problem.problem.fields?.map((f) => `${f.field}: ${f.message}`).join(' · ')}
          />
        )}
        <Row style={{ alignItems: 'flex-start' }}>
          {!p && (
            <Field>
              Name
              <Input name="name" required maxLength={80} />
            </Field>
          )}
          {!p && (
            <Field>
              Password
              <Input name="password" type="password" required minLength={10} autoComplete="new-password" />
            </Field>
          )}
          <Field>
            Role
            <Select name="role" defaultValue={p?.role ?? 'technician'}>
              <option value="technician">technician</option>
              <option value="lead">lead</option>
              <option value="viewer">viewer</option>
            </Select>
          </Field>
          <Field>
            HV level
            <Input name="hvLevel" type="number" min={0} max={3} defaultValue={p?.hvLevel ?? 0} required />
          </Field>
          <Field>
            Qualified until
            <Input name="hvUntil" type="date" defaultValue={p?.hvUntil ?? ''} />
          </Field>
          <Field>
            Certificate from
            <Input name="hvIssuer" maxLength={120} defaultValue={p?.hvIssuer ?? ''} />
          </Field>
          <Field>
            Certificate number
            <Input name="hvNumber" maxLength={80} defaultValue={p?.hvNumber ?? ''} />
          </Field>
          <Field>
            Gloves, class
            <Select name="gloveClass" defaultValue={p?.gloveClass ?? ''}>
              <option value="">none</option>
              {GLOVE_CLASSES.map((g) => (
                <option key={g.name} value={g.name}>
                  {g.name}
                </option>
              ))}
            </Select>
          </Field>
          <Field>
            Gloves tested on
            <Input name="gloveTested" type="date" defaultValue={p?.gloveTested ?? ''} />
          </Field>
          {p && p.id !== person.id && (
            <Field>
              Works here
              <Select name="active" defaultValue={p.active ? 'yes' : 'no'}>
                <option value="yes">yes</option>
                <option value="no">no more</option>
              </Select>
            </Field>
          )}
          {p && p.id !== person.id && (
            <Field>
              New password
              <Input name="newPassword" type="password" minLength={10} autoComplete="new-password" />
              <small>Empty leaves the present one.</small>
            </Field>
          )}
        </Row>
        <Row>
          <Button type="submit">Save</Button>
          <Button quiet onPress={() => setEditing(null)}>
            Leave it
          </Button>
        </Row>
      </Stack>
    </form>
  );
  return (
    <WorkshopFrame person={person}>
      <Page>
        <Row>
          <h1 style={{ flex: 1 }}>Who works here, and who may sign high voltage?</h1>
          {person.role === 'lead' && <Button onPress={() => setEditing('new')}>Add a person</Button>}
        </Row>
        {editing === 'new' && <Sheet>{form(null)}</Sheet>}
        <Sheet>
          <DataTable>
            <thead>
              <tr>
                <th>Name</th>
                <th>Role</th>
                <th>High voltage</th>
                <th>Gloves</th>
                <th>May sign it</th>
                <th>
                  <Unseen>To do</Unseen>
                </th>
              </tr>
            </thead>
            <tbody>
              {(data ?? []).map((p) => [
                <tr key={p.id}>
                  <td>
                    <b>{p.name}</b>
                  </td>
                  <td>{p.active ? p.role : <Mute>works here no more</Mute>}</td>
                  <td>
                    {p.hvLevel > 0
                      ? `level ${p.hvLevel}${p.hvUntil ? `, until ${day(p.hvUntil)}` : ''}`
                      : 'none'}
                    {p.hvLevel > 0 && (
                      <>
                        <br />
                        <Mute>
                          {p.hvSelfDeclared
                            ? 'self-declared, not countersigned'
                            : [p.hvIssuer, p.hvNumber].filter(Boolean).join(', ')}
                        </Mute>
                      </>
                    )}
                    {p.hvSelfDeclared && p.id !== person.id && person.maySignHv && (
                      <Countersign person={p} onDone={() => void mutate()} />
                    )}
                  </td>
                  <td>
                    {p.gloveClass
                      ? `class ${p.gloveClass}${p.gloveTested ? `, tested ${day(p.gloveTested)}` : ''}`
                      : 'none'}
                  </td>
                  <td>{p.maySignHv ? 'yes' : <Mute>{p.hvReason}</Mute>}</td>
                  <td className="r">
                    {person.role === 'lead' && (
                      <Button quiet onPress={() => setEditing(p.id)} aria-label={`Change ${p.name}`}>
                        Change
                      </Button>
                    )}
                  </td>
                </tr>,
                editing === p.id && (
                  <tr key={`${p.id}-form`}>
                    <td colSpan={6}>{form(p)}</td>
                  </tr>
                ),
              ])}
            </tbody>
          </DataTable>
        </Sheet>
        <Account person={person} />
        <Workshop person={person} />
        <UnitsForm person={person} />
      </Page>
    </WorkshopFrame>
  );
}
