import type { Session } from '@cellmend/contract/people';
import { ChevronRight } from 'lucide-react';
import { useState, type FormEvent } from 'react';
import { Button as AriaButton } from 'react-aria-components';
import styled from 'styled-components';
import { useSWRConfig } from 'swr';
import { ApiProblem, send } from '../api/client';
import { Input, Field } from '../ui/Field';
import { Button, Mute, ProblemNote, Sheet, Stack } from '../ui/parts';

const Screen = styled.main`
  min-height: 100%;
  display: grid;
  grid-template-columns: minmax(300px, 5fr) 7fr;
  @media (max-width: 800px) {
    grid-template-columns: 1fr;
  }
`;
const Side = styled.div`
  background: var(--mat);
  color: var(--mat-ink);
  padding: 64px 48px;
  display: flex;
  flex-direction: column;
  gap: 16px;
  h1 {
    font-size: var(--t-big);
  }
  p {
    font-size: var(--t-l);
    max-width: 34ch;
    opacity: 0.95;
  }
  svg {
    margin-top: auto;
    max-width: 320px;
  }
  @media (max-width: 800px) {
    padding: 28px;
    svg {
      display: none;
    }
  }
`;
const Form = styled.div`
  display: grid;
  place-items: center;
  padding: 32px;
  > * {
    width: min(440px, 100%);
  }
`;
const Who = styled(AriaButton)`
  display: grid;
  grid-template-columns: 1fr auto;
  align-items: center;
  text-align: left;
  width: 100%;
  min-height: 64px;
  padding: 10px 14px;
  border: 1px solid var(--line);
  border-radius: 6px;
  background: var(--sheet);
  color: var(--ink);
  cursor: pointer;
  b {
    font-size: var(--t-l);
    display: block;
  }
  &:hover {
    border-color: var(--mat-text);
  }
`;

/** Sign-in: people of a demo database in one click, everybody else by name and password; the first lead at first start. */
export function SignIn({ session }: { session: Session }) {
  const { mutate } = useSWRConfig();
  const [problem, setProblem] = useState<ApiProblem | null>(null);
  const [busy, setBusy] = useState(false);
  const attempt = async (work: () => Promise<unknown>): Promise<void> => {
    setBusy(true);
    setProblem(null);
    try {
      await work();
      await mutate(() => true);
    } catch (e) {
      setProblem(
        e instanceof ApiProblem
          ? e
          : new ApiProblem({
              type: '',
              title: 'Away',
              status: 0,
              detail: 'The server is away. It is tried again when you press the button.',
            }),
      );
    } finally {
      setBusy(false);
    }
  };
  const submit = (event: FormEvent<HTMLFormElement>): void => {
    event.preventDefault();
    const data = new FormData(event.currentTarget);
    const name = String(data.get('name'));
    const password = String(data.get('password'));
    void attempt(() =>
      session.firstLeadNeeded
        ? send('POST', '/first-lead', {
            name,
            password,
            role: 'lead',
            workshop: String(data.get('workshop')).trim() || 'The workshop',
            hvLevel: Number(data.get('hvLevel')),
            hvUntil: String(data.get('hvUntil')) || null,
          })
        : send('POST', '/session', { name, password }),
    );
  };
  return (
    <Screen>
      <Side>
        <h1>Bold Cellmend</h1>
        <p>From scan data to a proven traction pack, one job at a time.</p>
        <svg viewBox="0 0 320 150" aria-hidden>
          {Array.from({ length: 12 }, (_, i) => (
            <rect
              key={i}
              x={(i % 4) * 80 + 2}
              y={Math.floor(i / 4) * 50 + 2}
              width={72}
              height={40}
              rx={3}
              fill={i === 6 ? '#fff' : 'none'}
              stroke="#fff"
              strokeOpacity={i === 6 ? 1 : 0.45}
              strokeWidth={2}
            />
          ))}
        </svg>
      </Side>
      <Form>
        <Stack $gap={16}>
          <h1>{session.firstLeadNeeded ? 'Who leads this workshop?' : 'Who is working?'}</h1>
          {problem && (
            <ProblemNote
              what={problem.message}
              where={problem.problem.fields?.map((f) => `${f.field}: ${f.message}`).join(' · ')}
            />
          )}
          {session.demoPeople.length > 0 && (
            <>
              <Mute>{session.workshop}: an invented depot with demo data.</Mute>
              {session.demoPeople.map((p) => (
                <Who
                  key={p.id}
                  isDisabled={busy}
                  onPress={() => void attempt(() => send('POST', '/session/demo', { personId: p.id }))}
                >
                  <span>
                    <b>{p.name}</b>
                    <Mute>
                      {p.role}
                      {p.hvLevel ? `, high-voltage level ${p.hvLevel}` : ', reads only'}
                    </Mute>
                  </span>
                  <ChevronRight aria-hidden />
                </Who>
              ))}
            </>
          )}
          {(!session.demo || session.firstLeadNeeded) && (
            <Sheet as="form" onSubmit={submit}>
              <Stack>
                {session.firstLeadNeeded && (
                  <Mute>The database is empty. The first person is the lead and adds the others.</Mute>
                )}
                <Field>
                  Name
                  <Input name="name" autoComplete="username" required maxLength={80} />
                </Field>
                <Field>
                  Password{session.firstLeadNeeded && <small>At least 10 characters.</small>}
                  <Input
                    name="password"
                    type="password"
                    autoComplete={session.firstLeadNeeded ? 'new-password' : 'current-password'}
                    required
                    minLength={session.firstLeadNeeded ? 10 : 1}
                  />
                </Field>
                {session.firstLeadNeeded && (
                  <>
                    <Field>
                      Workshop
                      <Input name="workshop" maxLength={120} />
                    </Field>
                    <Field>
                      High-voltage level, 0 to 3
                      <Input name="hvLevel" type="number" min={0} max={3} defaultValue={2} required />
                    </Field>
                    <Field>
                      Qualified until
                      <Input name="hvUntil" type="date" />
                    </Field>
                  </>
                )}
                <Button type="submit" isDisabled={busy}>
                  {session.firstLeadNeeded ? 'Begin' : 'Sign in'}
                </Button>
              </Stack>
            </Sheet>
          )}
        </Stack>
      </Form>
    </Screen>
  );
}
