import { useState } from 'react';
import { Field, Input } from '../../ui/Field';
import { Button, Row, Stack } from '../../ui/parts';

/** Why something is done out of order: the reason goes on record. */
export function Asked({
  first,
  onGo,
  onLeave,
}: {
  first: string;
  onGo: (note: string) => void;
  onLeave: () => void;
}) {
  const [why, setWhy] = useState('');
  return (
    <Stack $gap={8}>
      <b>First: {first}.</b>
      <Field>
        Why it is done otherwise here
        <Input value={why} maxLength={500} onChange={(e) => setWhy(e.target.value)} />
      </Field>
      <Row>
        <Button isDisabled={why.trim() === ''} onPress={() => onGo(why.trim())}>
          Done all the same
        </Button>
        <Button quiet onPress={onLeave}>
          Leave it
        </Button>
      </Row>
    </Stack>
  );
}
