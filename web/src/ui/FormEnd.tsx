import type { ReactNode } from 'react';
import { Button, ProblemNote, Row } from './parts';

export interface FormProblem {
  what: string;
  where?: string | undefined;
  accepted?: string | undefined;
}

/** The end of a form: what was wrong with what was typed, what the server said, and the buttons. */
export function FormEnd({
  problems,
  onNotNow,
  children,
}: {
  problems: readonly (FormProblem | null)[];
  onNotNow: () => void;
  children: ReactNode;
}) {
  return (
    <>
      {problems.map(
        (p, i) => p && <ProblemNote key={i} what={p.what} where={p.where} accepted={p.accepted} />,
      )}
      <Row>
        {children}
        <Button quiet onPress={onNotNow}>
          Not now
        </Button>
      </Row>
    </>
  );
}
