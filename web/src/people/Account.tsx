import type { Person, SignedIn } from '@cellmend/contract/people';
import { useState, type FormEvent } from 'react';
import useSWR from 'swr';
import { ApiProblem, get, send } from '../api/client';
import { Field, Input } from '../ui/Field';
import { Button, DataTable, Mute, Row, Sheet, Stack, Unseen } from '../ui/parts';
import { when } from '../ui/words';

/** What a browser says of itself, in words. */
const deviceWords = (agent: string): string => {
  const system = /Android|iPhone|iPad|Windows|Mac OS|Linux/.exec(agent)?.[0] ?? 'another device';
  const browser = /Edg|Firefox|Chrom|Safari/.exec(agent)?.[0];
  const name = { Edg: 'Edge', Firefox: 'Firefox', Chrom: 'Chromium', Safari: 'Safari' }[browser ?? ''];
  return name ? `${name} on ${system}` : system;
};
const told = (e: unknown): string =>
  e instanceof ApiProblem ? e.message : 'The server is away; whether it was done is not certain.';

/** One's own password, and where one is signed in. */
export function Account({ person }: { person: Person }) {
  const { data, mutate } = useSWR<SignedIn[]>(`/people/${person.id}/sessions`, get);
  const [said, setSaid] = useState('');
  const change = async (event: FormEvent<HTMLFormElement>): Promise<void> => {
    event.preventDefault();
    const form = event.currentTarget;
    const { current, password } = Object.fromEntries(new FormData(form));
    try {
      await send('PUT', `/people/${person.id}/password`, { current, password });
      form.reset();
      setSaid('The password is changed. Everywhere else you are signed out.');
      await mutate();
    } catch (e) {
      setSaid(told(e));
    }
  };
  const end = async (id: string): Promise<void> => {
    try {
      await mutate(await send<SignedIn[]>('DELETE', `/people/${person.id}/sessions/${id}`), false);
      setSaid('Signed out there.');
    } catch (e) {
      setSaid(told(e));
    }
  };
  return (
    <Sheet aria-label="Your sign-in">
      <Stack>
        <h2>Your sign-in, {person.name}</h2>
        <form onSubmit={(e) => void change(e)}>
          <Row style={{ alignItems: 'flex-end' }}>
            <Field style={{ flex: '1 1 200px' }}>
              Present password
              <Input name="current" type="password" required autoComplete="current-password" />
            </Field>
            <Field style={{ flex: '1 1 200px' }}>
              New password, at least 10 characters
              <Input name="password" type="password" required minLength={10} autoComplete="new-password" />
            </Field>
            <Button type="submit">Change password</Button>
          </Row>
        </form>
        {said && <Mute role="status">{said}</Mute>}
        {data && data.length > 0 && (
          <DataTable>
            <thead>
              <tr>
                <th>Signed in on</th>
                <th>Since</th>
                <th>
                  <Unseen>To do</Unseen>
                </th>
              </tr>
            </thead>
            <tbody>
              {data.map((s) => (
                <tr key={s.id}>
                  <td>{deviceWords(s.device)}</td>
                  <td>{s.since ? when(s.since) : 'some time ago'}</td>
                  <td className="r">
                    {s.here ? (
                      <Mute>here</Mute>
                    ) : (
                      <Button quiet onPress={() => void end(s.id)}>
                        Sign out there
                      </Button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </DataTable>
        )}
      </Stack>
    </Sheet>
  );
}
