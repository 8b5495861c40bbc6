import { planBalance, type BalanceGoal, type BalancePlan } from '@cellmend/core/balance';
import { InputProblem, ocvCurve, valueOf } from '@cellmend/core/pack';
import { useState, type ReactNode } from 'react';
import { ToggleButton } from 'react-aria-components';
import { decisionOf, spreadOf, useStock, useWorkshop } from '../../api/hooks';
import { ApiProblem } from '../../api/client';
import type { StockPart } from '@cellmend/contract/stock';
import { keepFinding } from '../../shell/useTried';
import { Awaiting } from '../../shell/Awaiting';
import { useJobView } from '../../shell/jobContext';
import { SignNote, useSigning } from '../../shell/signing';
import { useDraft } from '../../shell/useDraft';
import { Input, Field, FieldGroup } from '../../ui/Field';
import { Chips } from '../../ui/Chips';
import {
  Answer,
  Button,
  Columns,
  LinkButton,
  Mute,
  NextBar,
  Page,
  ProblemNote,
  Row,
  Sheet,
  Stack,
} from '../../ui/parts';
import { temperature } from '../../ui/units';
import { duration, fixed, percent } from '../../ui/words';
import type { StageProps } from '../props';
import { Before } from '../Before';
import { Apart } from './Apart';
import { InVehicle } from './InVehicle';
import { Methods } from './Methods';
import { WhileItRuns } from './WhileItRuns';
import { lazyChart, type PropsOf } from '../../ui/lazyChart';
import { useOnward } from '../../shell/useOnward';

const Course = lazyChart<PropsOf<(typeof import('./Course'))['Course']>, typeof import('./Course')>(
  () => import('./Course'),
  'Course',
  190,
);

/** A typed number; a decimal comma is as good as a point. NaN when it is none. */
const typed = (text: string): number => (text.trim() === '' ? NaN : Number(text.trim().replace(',', '.')));

/** Charge to move, hours on a supply, weeks on bleeders: computed as it is typed, stored when it is signed. */
export function BalanceStage({ question }: StageProps) {
  const { job, findings } = useJobView();
  const { data: stock } = useStock();
  const [at, setAt] = useState<string | null>(null);
  const spread = spreadOf(findings, 'before');
  const choices = decisionOf(job, 'match')?.body.choices ?? [];
  if (choices.length === 0)
    return (
      <Before
        question={question}
        title="No donor chosen yet"
        to={`/jobs/${job.number}/match`}
        action="To the match"
      >
        The newcomer is chosen first; then its way to the level of the others is computed.
      </Before>
    );
  const lines = decisionOf(job, 'balance')?.body.lines ?? [];
  const open = choices.find((c) => !lines.some((l) => l.place === c.place));
  const choice = choices.find((c) => c.place === at) ?? open ?? choices[0]!;
  if (!stock) return <Awaiting question={question} />;
  const fitted = job.composition.find((c) => c.partId === choice.partId);
  const donor = stock.find((s) => s.id === choice.partId);
  const pick = choices.length > 1 && (
    <Chips
      selectionMode="single"
      disallowEmptySelection
      selectedKeys={[choice.place]}
      onSelectionChange={(k) => setAt(String([...k][0]))}
      aria-label="Place to plan for"
    >
      {choices.map((c) => (
        <ToggleButton key={c.place} id={c.place}>
          {c.place}
          {lines.some((l) => l.place === c.place) && ' ✓'}
        </ToggleButton>
      ))}
    </Chips>
  );
  if (!donor)
    return (
      <Page>
        <h1>{question}</h1>
        {pick}
        <Answer
          tone={fitted ? 'good' : 'suspect'}
          title={fitted ? `${fitted.label} is in at ${choice.place}` : 'The chosen donor is gone from stock'}
        >
          {fitted
            ? 'What comes now is the voltage of its groups among the others, at rest.'
            : 'It is no longer on the shelf. Choose again under Match.'}
        </Answer>
      </Page>
    );
  if (donor.restVoltageV === null)
    return (
      <Page>
        <h1>{question}</h1>
        {pick}
        <Answer tone="suspect" title={`The rest voltage of ${donor.label} is not measured`}>
          Rested two hours, at the temperature of the pack: then its way to the level of the others can be
          told.
        </Answer>
        <div>
          <LinkButton to={`/stock/${donor.id}`}>Record what was measured</LinkButton>
        </div>
      </Page>
    );
  return (
    <Plan
      key={choice.place}
      question={question}
      donor={donor}
      restVoltageV={donor.restVoltageV}
      moduleId={choice.place}
      spread={spread}
      pick={pick}
      places={choices.map((c) => c.place)}
    />
  );
}

function Plan({
  question,
  donor,
  restVoltageV,
  moduleId,
  spread,
  pick,
  places,
}: {
  question: string;
  donor: StockPart;
  restVoltageV: number;
  moduleId: string;
  /** Null where nothing was scanned: then the neighbour's voltage is typed. */
  spread: ReturnType<typeof spreadOf>;
  pick: ReactNode;
  places: string[];
}) {
  const { job, pack, refresh } = useJobView();
  const report = spread?.report ?? null;
  const decision = decisionOf(job, 'balance');
  const earlier = decision?.body.lines.find((l) => l.place === moduleId);
  const module = pack.modules.find((m) => m.id === moduleId);
  const groupCount = donor.groupCount ?? module?.groupIndices.length ?? 1;
  const curve = ocvCurve(pack.profile.ocv);
  const [packV, setPackV] = useDraft(
    `${job.number}.${moduleId}.packV`,
    report?.working ? fixed(curve.voltageAt(report.working.endSocFraction), 3) : '',
  );
  const [currentA, setCurrent] = useDraft(
    `${job.number}.${moduleId}.currentA`,
    String(earlier?.currentA ?? 8),
  );
  const [bleederMa, setBleeder] = useDraft(
    `${job.number}.${moduleId}.bleederMa`,
    String(pack.profile.bleederMilliamp ?? 50),
  );
  const [goal, setGoal] = useState<BalanceGoal>(
    earlier?.goal ??
      (report?.capacityAh.measured && donor.capacityAh !== null ? 'level-when-full' : 'level-now'),
  );
  const usual = useWorkshop().data?.balanceBy ?? 'supply';
  const [picked, setMethod] = useState<'supply' | 'bleeders' | null>(earlier?.method ?? null);
  const method = picked ?? usual;
  const [storing, setStoring] = useState<ApiProblem | null>(null);
  const signing = useSigning('balance');
  const onward = useOnward();
  let plan: BalancePlan | null = null;
  let problem: InputProblem | null = null;
  const cellV = typed(packV);
  try {
    if (!(cellV >= curve.minV - 0.2 && cellV <= curve.maxV + 0.2))
      throw new InputProblem(
        'pack-voltage',
        `“${packV}” V is no rested group of this pack.`,
        'rested voltage of a neighbour',
        `${curve.minV.toFixed(2)} to ${curve.maxV.toFixed(2)} V.`,
      );
    plan = planBalance(
      {
        groupCount,
        moduleRestVoltageV: restVoltageV,
        newcomerCapacityAh: donor.capacityAh,
        packSocFraction: curve.socAt(cellV),
        packCapacityAh: report ? valueOf(report.capacityAh) : null,
        currentA: typed(currentA),
        bleederMilliamp: typed(bleederMa),
        goal,
      },
      pack,
    );
  } catch (e) {
    if (!(e instanceof InputProblem)) throw e;
    problem = e;
  }
  const sign = async (): Promise<void> => {
    setStoring(null);
    try {
      const finding = spread
        ? await keepFinding(job.number, {
            topic: 'balance',
            spreadFindingId: spread.id,
            stockId: donor.id,
            packCellVoltageV: cellV,
            currentA: typed(currentA),
            bleederMilliamp: typed(bleederMa),
            goal,
          })
        : null;
      const lines = [
        ...(decision?.body.lines ?? []).filter((l) => l.place !== moduleId),
        { place: moduleId, currentA: typed(currentA), goal, method },
      ];
      if (
        (await signing.sign({
          body: { topic: 'balance', lines },
          findingIds: finding ? [finding.id] : [],
        })) &&
        places.every((p) => lines.some((l) => l.place === p))
      )
        onward(`/jobs/${job.number}/${job.gate.holds ? 'rebuild' : 'make-safe'}`);
    } catch (e) {
      setStoring(
        e instanceof ApiProblem
          ? e
          : new ApiProblem({
              type: '',
              title: 'Away',
              status: 0,
              detail:
                'The server is away. Whether it was stored is not certain; what you typed stays here. Sign again: it is stored once.',
            }),
      );
      await refresh();
    }
  };
  const verb = plan?.direction === 'charge' ? 'Charge' : 'Discharge';
  return (
    <Page>
      <h1>{question}</h1>
      {pick}
      {plan && plan.direction === 'none' && (
        <Answer tone="good" title={`${donor.label} is level already`} big="0 h" small="nothing to move">
          Within what the voltage can tell.
        </Answer>
      )}
      {plan && plan.direction !== 'none' && (
        <Answer
          tone="good"
          title={`${verb} ${donor.label} by ${plan.atMost ? 'at most ' : ''}${fixed(plan.chargeAh, 1)} A·h, to ${fixed(plan.targetModuleV, 2)} V at rest`}
          big={`${plan.atMost ? '≤ ' : ''}${duration(plan.hours)}`}
          small={`at ${currentA} A`}
        >
          It stands at {percent(plan.socNow)} and has to reach {percent(plan.socTarget)}; ±{' '}
          {fixed(plan.chargeHalfWidthAh, 1)} A·h from ± 2 mV of reading. Bleeders of {bleederMa} mA would take{' '}
          {duration(plan.bleederHours)}, burning charge in {plan.bleederBurns}.
        </Answer>
      )}
      {problem && <ProblemNote what={problem.what} where={problem.where} accepted={problem.accepted} />}
      <Columns $of="300px 1fr">
        <Sheet>
          <Stack>
            <Field>
              Neighbour’s rested voltage, V<small>Same temperature as the newcomer.</small>
              <Input
                className="n"
                inputMode="decimal"
                value={packV}
                onChange={(e) => setPackV(e.target.value)}
              />
            </Field>
            <Field>
              Current of the supply, A
              <Input
                className="n"
                inputMode="decimal"
                value={currentA}
                onChange={(e) => setCurrent(e.target.value)}
              />
            </Field>
            <Field>
              Bleeder current, mA
              <Input
                className="n"
                inputMode="decimal"
                value={bleederMa}
                onChange={(e) => setBleeder(e.target.value)}
              />
            </Field>
            <FieldGroup>
              Level
              <Chips
                selectionMode="single"
                disallowEmptySelection
                selectedKeys={[goal]}
                onSelectionChange={(k) => setGoal([...k][0] as BalanceGoal)}
                aria-label="When shall it be level"
              >
                <ToggleButton id="level-when-full">when full</ToggleButton>
                <ToggleButton id="level-now">now</ToggleButton>
              </Chips>
            </FieldGroup>
            <FieldGroup>
              Method
              <Chips
                selectionMode="single"
                disallowEmptySelection
                selectedKeys={[method]}
                onSelectionChange={(k) => setMethod([...k][0] as 'supply')}
                aria-label="Method"
              >
                <ToggleButton id="supply">bench supply</ToggleButton>
                <ToggleButton id="bleeders">bleeders</ToggleButton>
              </Chips>
            </FieldGroup>
          </Stack>
        </Sheet>
        <Stack>
          {plan && (
            <Sheet>
              <h3>Rest voltage of {donor.label} as charge moves</h3>
              <Course plan={plan} nowV={restVoltageV} voltageAt={(s) => curve.voltageAt(s) * groupCount} />
            </Sheet>
          )}
          {plan && <Apart plan={plan} nowV={restVoltageV} groups={groupCount} />}
          {plan?.remarks.map((r) => (
            <ProblemNote key={r} what={r} />
          ))}
          {plan && plan.bleederHours > 72 && method === 'bleeders' && (
            <ProblemNote
              what={`Bleeders need ${duration(plan.bleederHours)}: the vehicle may refuse to drive until the gap is below its limit.`}
              accepted="A bench supply first, or tell the owner about the limp period."
            />
          )}
          <Mute>
            Set both limits on the supply before connecting. Stay within the module maker’s charge current;
            stop at {temperature(45)}.
          </Mute>
        </Stack>
      </Columns>
      {plan && (
        <Methods
          plan={plan}
          groups={groupCount}
          milliohm={donor.resistanceMilliohm}
          currentA={typed(currentA)}
        />
      )}
      {plan && <WhileItRuns donor={donor} plan={plan} cells={groupCount} currentA={typed(currentA)} />}
      {plan && plan.direction !== 'none' && (
        <InVehicle
          plan={plan}
          moduleId={moduleId}
          packSoc={curve.socAt(cellV)}
          newcomerAh={donor.capacityAh}
          newcomerMilliohm={donor.resistanceMilliohm}
          bleederMa={typed(bleederMa)}
          report={report}
        />
      )}
      {storing && <ProblemNote what={storing.message} accepted={storing.problem.accepted} />}
      <SignNote signing={signing} />
      <NextBar>
        <div>
          <b>Goes in at {moduleId}.</b>
          <br />
          Rest two hours after balancing, then check the voltage again before fitting.
        </div>
        <Row>
          {earlier && (
            <LinkButton $quiet to={`/jobs/${job.number}/rebuild`}>
              Rebuild
            </LinkButton>
          )}
          <Button isDisabled={!plan || !signing.may || signing.busy} onPress={() => void sign()}>
            {earlier ? 'Sign again' : 'Sign plan'}
          </Button>
        </Row>
      </NextBar>
    </Page>
  );
}
