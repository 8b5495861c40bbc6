import { liftPlan } from '@cellmend/core/stripdown';
import { Check, Circle, TriangleAlert } from 'lucide-react';
import { useWorkshop } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { LinkButton, Mute, PlainList, Row, Sheet, Stack } from '../../ui/parts';
import { upper } from '../../ui/words';

/** Before it comes down: what it weighs and measures, what is here to bear it, and what is undone first. */
export function BringDown() {
  const { pack } = useJobView();
  const { data: settings } = useWorkshop();
  const { body } = pack.profile;
  if (!settings) return null;
  const rows = liftPlan(body ?? {}, settings.equipment);
  const wrong = rows.filter((r) => r.fits === false && r.what !== 'persons');
  return (
    <Sheet aria-label="Before it comes down">
      <Stack $gap={6}>
        <Row>
          <h3 style={{ flex: 1 }}>Before it comes down</h3>
          {(!body || rows.length < 2) && (
            <LinkButton $quiet to={body ? '/people' : '/packs'}>
              {body ? 'What is here' : 'Mass and size'}
            </LinkButton>
          )}
        </Row>
        {wrong.length > 0 && <b>Does not fit: {wrong.map((r) => r.what).join(', ')}.</b>}
        <PlainList>
          {rows.map((r) => (
            <li key={r.what} style={{ display: 'flex', gap: 8, alignItems: 'baseline' }}>
              {r.fits === null ? (
                <Circle size={16} style={{ flex: 'none', alignSelf: 'center' }} aria-label="not known" />
              ) : r.fits ? (
                <Check size={16} style={{ flex: 'none', alignSelf: 'center' }} aria-label="fits" />
              ) : (
                <TriangleAlert
                  size={16}
                  style={{ flex: 'none', alignSelf: 'center' }}
                  aria-label={r.what === 'persons' ? 'careful' : 'does not fit'}
                />
              )}
              <span>
                {r.what !== 'persons' && <b>{upper(r.what)} </b>}
                <Mute>{r.says}</Mute>
              </span>
            </li>
          ))}
        </PlainList>
        {body?.lifting && <span>{body.lifting}</span>}
        {body?.before && body.before.length > 0 && (
          <ol style={{ margin: 0, paddingLeft: 20 }}>
            {body.before.map((b) => (
              <li key={b}>{b}</li>
            ))}
          </ol>
        )}
      </Stack>
    </Sheet>
  );
}
