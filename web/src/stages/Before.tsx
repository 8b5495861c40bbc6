import type { ReactNode } from 'react';
import { LinkButton, Page, Sheet, Stack } from '../ui/parts';

/** A stage that waits for an earlier one: says what is missing and leads there. */
export function Before({
  question,
  title,
  children,
  to,
  action,
}: {
  question: string;
  title: string;
  children: ReactNode;
  to: string;
  action: string;
}) {
  return (
    <Page>
      <h1>{question}</h1>
      <Sheet>
        <Stack>
          <h2>{title}</h2>
          <p>{children}</p>
          <div>
            <LinkButton to={to}>{action}</LinkButton>
          </div>
        </Stack>
      </Sheet>
    </Page>
  );
}
