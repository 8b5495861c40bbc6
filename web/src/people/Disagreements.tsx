import type { WorkshopSettings } from '@cellmend/contract/safety';
import { ROAD_TESTS } from '@cellmend/core/prove';
import styled from 'styled-components';
import { Field, Input, Select } from '../ui/Field';
import { Mute, Stack } from '../ui/parts';
import { currencyUnit, distance } from '../ui/units';

const Grid = styled.div`
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(264px, 1fr));
  gap: 12px 14px;
  align-items: start;
`;

/** Where practitioners disagree: what this workshop begins with, and what speaks for and against it. */
export function Disagreements({ data, may }: { data: WorkshopSettings; may: boolean }) {
  return (
    <Stack $gap={8}>
      <h3>Where workshops differ</h3>
      <Mute>
        What a job begins with here. The other way is worked out beside it, and each job may choose.
      </Mute>
      <Grid>
        <Field>
          A module failed: out comes
          <Select name="swap" defaultValue={data.swap} disabled={!may}>
            <option value="failed">only what failed</option>
            <option value="below">all below a limit</option>
            <option value="set">the whole set</option>
          </Select>
          <small>One is cheapest, and its like fail next; a set costs most and lasts longest.</small>
        </Field>
        <Field>
          That limit, % of the rest
          <Input
            name="swapLimit"
            type="number"
            min={50}
            max={100}
            defaultValue={Math.round(data.swapLimitShare * 100)}
            disabled={!may}
          />
          <small>By measured capacity alone; nothing comes out by a guess.</small>
        </Field>
        <Field>
          A newcomer is levelled
          <Select name="balanceBy" defaultValue={data.balanceBy} disabled={!may}>
            <option value="supply">on the bench, before it goes in</option>
            <option value="bleeders">by the vehicle, after it goes out</option>
          </Select>
          <small>The bench takes hours; the vehicle days to weeks, with less range until then.</small>
        </Field>
        <Field>
          Insulation is tested at
          <Select name="testV" defaultValue={String(data.testV)} disabled={!may}>
            <option value="0">what the pack asks for, at least</option>
            <option value="250">250 V where it may be</option>
            <option value="500">500 V where it may be</option>
            <option value="1000">1000 V where it may be</option>
          </Select>
          <small>More volts find more leaks; the maker’s limit counts before this.</small>
        </Field>
        <Field>
          Worn NiMH is brought back by
          <Select name="conditioning" defaultValue={data.conditioning} disabled={!may}>
            <option value="slow-balance">slow balance, then cycles</option>
            <option value="hard-charge">hard charge, then a trickle</option>
          </Select>
          <small>Slow is gentle and takes nights; hard is quick and wears by its heat.</small>
        </Field>
        <Field>
          A repair is driven
          <Select name="roadTest" defaultValue={data.roadTest} disabled={!may}>
            <option value="short">{distance(ROAD_TESTS.short)}, a short drive</option>
            <option value="span">{distance(ROAD_TESTS.span)}, full to empty</option>
            <option value="long">{distance(ROAD_TESTS.long)}, some weeks</option>
          </Select>
          <small>A short drive proves the fault gone; both ends take the long one.</small>
        </Field>
        <Field>
          An hour costs{currencyUnit() && `, ${currencyUnit()}`}
          <Input
            name="hourRate"
            className="n"
            inputMode="decimal"
            defaultValue={data.hourRate ?? ''}
            disabled={!may}
          />
          <small>With the strip-down plan it fills in what an owner’s option costs.</small>
        </Field>
      </Grid>
    </Stack>
  );
}
