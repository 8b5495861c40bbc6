import type { Person } from '@cellmend/contract/people';
import type { WorkshopSettings } from '@cellmend/contract/safety';
import { X } from 'lucide-react';
import { useState, type FormEvent } from 'react';
import { ApiProblem, send } from '../api/client';
import { useWorkshop } from '../api/hooks';
import { Disagreements } from './Disagreements';
import { Input, Select, TextArea, Field } from '../ui/Field';
import { Button, Mute, ProblemNote, Row, Sheet, Stack } from '../ui/parts';
import { day } from '../ui/words';

/** What brings a pack down and carries it, as it is typed. */
const EQUIPMENT = [
  ['liftTableKg', 'Lift table bears, kg', '600'],
  ['hoistKg', 'Hoist bears, kg', '500'],
  ['crateMm', 'Crate inside, mm', '1800 × 1200 × 500'],
  ['crateKg', 'Crate bears, kg', '450'],
  ['doorMm', 'Narrowest door, mm', '2400 × 2600'],
  ['vanKg', 'Van may load, kg', '850'],
] as const;
type EquipmentKey = (typeof EQUIPMENT)[number][0];
class Unreadable extends Error {}

/** So many figures, put together with ×; null where nothing is typed. @throws Unreadable */
function figures(form: FormData, key: EquipmentKey, count: number): number[] | null {
  const text = String(form.get(key) ?? '').trim();
  if (text === '') return null;
  const values = text.split(/\s*[x×*]\s*/i).map((t) => Number(t.replace(',', '.')));
  if (values.length === count && values.every((v) => v > 0)) return values;
  const [, label, example] = EQUIPMENT.find(([k]) => k === key)!;
  throw new Unreadable(
    `${label}: “${text}” cannot be read. For example ${example}; empty where there is none.`,
  );
}
/** What an hour costs; null where nothing is typed. @throws Unreadable */
function rate(form: FormData): number | null {
  const text = String(form.get('hourRate') ?? '').trim();
  if (text === '') return null;
  const v = Number(text.replace(',', '.'));
  if (v >= 0) return v;
  throw new Unreadable(`An hour costs: “${text}” cannot be read. For example 80; empty where nobody says.`);
}
const one = (form: FormData, key: EquipmentKey): number | null => figures(form, key, 1)?.[0] ?? null;

/** The workshop's own rules for the lock-out, and whom to call. */
export function Workshop({ person }: { person: Person }) {
  const { data, mutate } = useWorkshop();
  const [problem, setProblem] = useState<string | null>(null);
  const [saved, setSaved] = useState(false);
  const [closed, setClosed] = useState<string[] | null>(null);
  if (!data) return null;
  const may = person.role === 'lead';
  const save = async (event: FormEvent<HTMLFormElement>): Promise<void> => {
    event.preventDefault();
    const f = new FormData(event.currentTarget);
    setProblem(null);
    setSaved(false);
    try {
      const next = await send<WorkshopSettings>('PUT', '/workshop', {
        twoPersons: f.get('twoPersons') === 'yes',
        closedOn: closed ?? data.closedOn,
        swap: String(f.get('swap')) as WorkshopSettings['swap'],
        swapLimitShare: Number(f.get('swapLimit')) / 100,
        balanceBy: String(f.get('balanceBy')) as WorkshopSettings['balanceBy'],
        testV: Number(f.get('testV')) as WorkshopSettings['testV'],
        conditioning: String(f.get('conditioning')) as WorkshopSettings['conditioning'],
        hourRate: rate(f),
        roadTest: String(f.get('roadTest')) as WorkshopSettings['roadTest'],
        gateHours: Number(f.get('gateHours')),
        leastWaitMin: Number(f.get('leastWaitMin')),
        deadV: Number(f.get('deadV')),
        callWhom: String(f.get('callWhom')),
        quarantinePlace: String(f.get('quarantinePlace')),
        equipment: {
          liftTableKg: one(f, 'liftTableKg'),
          hoistKg: one(f, 'hoistKg'),
          crateMm: figures(f, 'crateMm', 3) as [number, number, number] | null,
          crateKg: one(f, 'crateKg'),
          doorMm: figures(f, 'doorMm', 2) as [number, number] | null,
          vanKg: one(f, 'vanKg'),
        },
      });
      await mutate(next, { revalidate: false });
      setClosed(null);
      setSaved(true);
    } catch (e) {
      setProblem(
        e instanceof ApiProblem || e instanceof Unreadable
          ? e.message
          : 'The server is away; whether it was saved is not certain.',
      );
    }
  };
  return (
    <Sheet>
      <form onSubmit={(e) => void save(e)} key={JSON.stringify(data)}>
        <Stack>
          <h2>Rules of this workshop</h2>
          <Mute>
            Rules of the gate, version {data.rulesVersion}. A change is signed by whoever saves it, with a
            valid high-voltage qualification. A looser rule applies to lock-outs begun after it; a stricter
            one at once.
          </Mute>
          <Row>
            <Field style={{ flex: 1 }}>
              Who signs that a pack is dead
              <Select name="twoPersons" defaultValue={data.twoPersons ? 'yes' : 'no'} disabled={!may}>
                <option value="no">one qualified person</option>
                <option value="yes">two qualified persons</option>
              </Select>
            </Field>
            <Field style={{ flex: 1 }}>
              The proof holds, hours
              <Input
                name="gateHours"
                type="number"
                min={1}
                max={24}
                defaultValue={data.gateHours}
                disabled={!may}
              />
            </Field>
            <Field style={{ flex: 1 }}>
              Least wait for capacitors, min
              <Input
                name="leastWaitMin"
                type="number"
                min={1}
                max={120}
                defaultValue={data.leastWaitMin}
                disabled={!may}
              />
            </Field>
            <Field style={{ flex: 1 }}>
              Dead behind contactors, up to V
              <Input
                name="deadV"
                type="number"
                min={0.5}
                max={30}
                step={0.5}
                defaultValue={data.deadV}
                disabled={!may}
              />
            </Field>
          </Row>
          <Row>
            <Field style={{ flex: 2 }}>
              Whom to call
              <TextArea name="callWhom" defaultValue={data.callWhom} maxLength={1000} disabled={!may} />
            </Field>
            <Field style={{ flex: 1 }}>
              Quarantine place
              <TextArea
                name="quarantinePlace"
                defaultValue={data.quarantinePlace}
                maxLength={300}
                disabled={!may}
              />
            </Field>
          </Row>
          <Disagreements data={data} may={may} />
          <ClosedOn days={closed ?? data.closedOn} onChange={may ? setClosed : undefined} />
          <h3>What brings a pack down, carries and sends it</h3>
          <Row style={{ flexWrap: 'wrap' }}>
            {EQUIPMENT.map(([key, label, example]) => {
              const now = data.equipment[key];
              return (
                <Field key={key} style={{ flex: '1 1 150px' }}>
                  {label}
                  <Input
                    name={key}
                    placeholder={example}
                    defaultValue={Array.isArray(now) ? now.join(' × ') : (now ?? '')}
                    disabled={!may}
                  />
                </Field>
              );
            })}
          </Row>
          {problem && <ProblemNote what={problem} />}
          {may ? (
            <Row>
              <Button type="submit">Save rules</Button>
              {saved && <Mute>Saved.</Mute>}
            </Row>
          ) : (
            <Mute>A lead changes these.</Mute>
          )}
        </Stack>
      </form>
    </Sheet>
  );
}

/** Days on which nobody is there: the bench plans round them. */
function ClosedOn({
  days,
  onChange,
}: {
  days: readonly string[];
  onChange: ((d: string[]) => void) | undefined;
}) {
  const [next, setNext] = useState('');
  return (
    <Stack $gap={8}>
      <h3>Closed, besides the usual days</h3>
      <Row style={{ alignItems: 'flex-end' }}>
        {days.map((d) => (
          <Button
            key={d}
            quiet
            isDisabled={!onChange}
            onPress={() => onChange?.(days.filter((x) => x !== d))}
            aria-label={`Open on ${day(d)} after all`}
          >
            {day(d)}
            <X size={16} aria-hidden />
          </Button>
        ))}
        {onChange && (
          <>
            <Field style={{ flex: '0 1 170px' }}>
              Another day
              <Input type="date" value={next} onChange={(e) => setNext(e.target.value)} />
            </Field>
            <Button
              quiet
              isDisabled={next === '' || days.includes(next)}
              onPress={() => {
                onChange([...days, next].sort());
                setNext('');
              }}
            >
              Add
            </Button>
          </>
        )}
        {days.length === 0 && !onChange && <Mute>None.</Mute>}
      </Row>
    </Stack>
  );
}
