import { ENDINGS, type Ending } from '@cellmend/core/route';
import { Link } from 'react-router';
import styled from 'styled-components';
import { useJobView } from '../../shell/jobContext';
import { LinkButton, Mute, PlainList, Sheet, Stack } from '../../ui/parts';

const Way = styled.li`
  border-bottom: 1px solid var(--line);
  &:last-child {
    border-bottom: 0;
  }
  a {
    display: grid;
    grid-template-columns: minmax(150px, 0.8fr) 2fr;
    gap: 4px 14px;
    align-items: baseline;
    min-height: 44px;
    padding: 10px 0;
    color: var(--ink);
    text-decoration: none;
  }
  a:hover b {
    text-decoration: underline;
  }
  @media (max-width: 640px) {
    a {
      grid-template-columns: 1fr;
    }
  }
`;

/** What is still missing before a job may end in one way, each with the way to it. */
export function Missing({
  ending,
  open,
  obstacles,
}: {
  ending: Ending;
  open: Ending[];
  obstacles: readonly string[];
}) {
  const { job } = useJobView();
  const steps = job.steps.filter((s) => !s.met && obstacles.includes(s.says));
  const others = obstacles.filter((o) => !steps.some((s) => s.says === o));
  return (
    <Sheet aria-label="Still missing">
      <Stack>
        <h2>Still missing before it ends as {ENDINGS[ending]}</h2>
        {others.map((o) => (
          <p key={o}>{o}</p>
        ))}
        {others.some((o) => o.startsWith('No measure') || o.startsWith('To be done')) && (
          <div>
            <LinkButton $quiet to={`/jobs/${job.number}/findings`}>
              Change what is to be done
            </LinkButton>
          </div>
        )}
        <PlainList>
          {steps.map((s) => (
            <Way key={`${s.evidence}${s.place}`}>
              <Link to={`/jobs/${job.number}/${s.stage}`}>
                <b>
                  {s.place && `${s.place}: `}
                  {s.need}
                </b>
                <Mute>{s.says}</Mute>
              </Link>
            </Way>
          ))}
        </PlainList>
        {open.length > 0 && !open.includes(ending) && (
          <Mute>It may end as {open.map((e) => ENDINGS[e]).join(' or ')} now.</Mute>
        )}
      </Stack>
    </Sheet>
  );
}
