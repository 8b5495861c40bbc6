import { REPAIR_LEVELS, type RepairLevel } from '@cellmend/contract/jobs';
import { rangeKm, usableCapacity } from '@cellmend/core/range';
import { groupStates, type SpreadReport } from '@cellmend/core/spread';
import { useEffect, useRef, useState } from 'react';
import { ToggleButton } from 'react-aria-components';
import { useNavigate } from 'react-router';
import { decisionOf } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { Button, Chips, Field, Mute, Row, Sheet, Stack, TextArea } from '../../ui/parts';
import { fixed, upper } from '../../ui/words';
import { SignNote, useSigning } from '../../shell/signing';
import { useDraft } from '../../shell/useDraft';
import { comesOut, type Suspect } from './view';

/** What is to be done, with what it would give computed beside it. */
export function DecideReplace({
  report,
  findingId,
  suspects,
  leaking = NOTHING,
  onDone,
}: {
  /** Null where a leak is decided on and nothing was scanned: then no range is computed. */
  report: SpreadReport | null;
  findingId: string;
  suspects: Suspect[];
  /** Modules in which a leak was found. */
  leaking?: readonly string[];
  onDone: () => void;
}) {
  const { job, pack, selected } = useJobView();
  const earlier = decisionOf(job, 'replace');
  const offered = [
    ...new Set([
      ...leaking,
      ...[...suspects.filter(comesOut), ...suspects].flatMap((s) => s.module.split(' + ')),
    ]),
  ];
  const worth = [...leaking, ...suspects.filter(comesOut).flatMap((s) => s.module.split(' + '))];
  const [level, setLevel] = useState<RepairLevel>(
    earlier?.body.level ??
      (worth.length > 0
        ? 'module'
        : suspects.some((s) => s.channels.some((c) => c.seat === 'joint'))
          ? 'joint'
          : suspects.some((s) => s.verdict === 'imbalance')
            ? 'balance'
            : 'leave'),
  );
  const [modules, setModules] = useState<string[]>(earlier?.body.modules ?? worth);
  const [note, setNote, clearNote] = useDraft(`${job.number}.replace.note`, earlier?.note ?? '');
  const here = useRef<HTMLHeadingElement>(null);
  const below = report !== null;
  // Below a long page of findings it is brought into view; without a scan it stands near the top anyway.
  useEffect(() => {
    if (below) here.current?.scrollIntoView({ block: 'start' });
  }, [below]);
  const onMap = selected === null ? null : pack.modules[selected]!.id;
  const signing = useSigning('replace');
  const navigate = useNavigate();
  const chosen = level === 'module' ? modules : [];
  const sign = async (): Promise<void> => {
    if (
      await signing.sign({
        body: { topic: 'replace', level, modules: chosen },
        note,
        findingIds: [findingId],
      })
    ) {
      clearNote();
      onDone();
      if (chosen.length > 0) void navigate(`/jobs/${job.number}/match`);
    }
  };
  return (
    <Sheet aria-label="Decision">
      <Stack>
        <h2 ref={here}>What is to be done?</h2>
        <Chips
          selectionMode="single"
          disallowEmptySelection
          selectedKeys={[level]}
          onSelectionChange={(k) => setLevel([...k][0] as RepairLevel)}
          aria-label="Level of repair"
        >
          {Object.entries(REPAIR_LEVELS).map(([id, name]) => (
            <ToggleButton key={id} id={id}>
              {upper(name)}
            </ToggleButton>
          ))}
        </Chips>
        {level === 'module' && (
          <>
            <Mute>Which modules come out? Suspects are offered first; pick others on the pack map.</Mute>
            <Chips
              selectionMode="multiple"
              selectedKeys={modules}
              onSelectionChange={(k) => setModules([...k].map(String))}
              aria-label="Modules to replace"
            >
              {[
                ...offered,
                ...modules.filter((m) => !offered.includes(m)),
                ...(onMap && !offered.includes(onMap) && !modules.includes(onMap) ? [onMap] : []),
              ].map((m) => (
                <ToggleButton key={m} id={m}>
                  {m}
                </ToggleButton>
              ))}
            </Chips>
            {report && <Gain report={report} chosen={chosen} />}
          </>
        )}
        <Field>
          Note
          <TextArea
            value={note}
            onChange={(e) => setNote(e.currentTarget.value)}
            maxLength={2000}
            placeholder="Why, if it is not what the finding says"
          />
        </Field>
        <SignNote signing={signing} />
        <Row>
          <Button
            isDisabled={!signing.may || signing.busy || (level === 'module' && chosen.length === 0)}
            onPress={() => void sign()}
          >
            Sign decision
          </Button>
          <Button quiet onPress={onDone}>
            Not yet
          </Button>
        </Row>
      </Stack>
    </Sheet>
  );
}

const NOTHING: readonly string[] = [];

/** What the pack would give with twins of the rest in place of the chosen modules. */
function Gain({ report, chosen }: { report: SpreadReport; chosen: readonly string[] }) {
  const { pack } = useJobView();
  const { capacityAh, working } = report;
  if (!working) return null;
  if (!capacityAh.measured)
    return (
      <p>
        <Mute>
          What a swap brings back is not measured. {capacityAh.why} {capacityAh.test}
        </Mute>
      </p>
    );
  const typicalAh = capacityAh.value;
  const states = groupStates(report.channels, pack.channels.length, typicalAh, working.startSocFraction);
  const swapped = states.map((s, i) =>
    pack.channels[i]!.moduleIndices.some((m) => chosen.includes(pack.modules[m]!.id))
      ? { capacityAh: typicalAh, socFraction: working.startSocFraction }
      : s,
  );
  const after = usableCapacity(swapped);
  const { ratedRangeKm, ratedCapacityAh } = pack.profile;
  const spread = (capacityAh.high - capacityAh.low) / 2 / typicalAh;
  const told = (ah: number): string =>
    `${fixed(ah, 0)} ± ${fixed(ah * spread, 0)} A·h${ratedRangeKm ? `, about ${fixed(rangeKm(ah, ratedCapacityAh, ratedRangeKm), 0)} km` : ''}`;
  return (
    <p>
      With twins of the rest in place of {chosen.join(', ') || 'nothing'}: {told(after.usableAh)} usable as it
      is balanced now, {told(after.balancedAh)} once all are level.
    </p>
  );
}
