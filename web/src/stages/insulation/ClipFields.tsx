import { ToggleButton } from 'react-aria-components';
import type { OtherPart, Terminals, TestedPart } from '@cellmend/core/insulation';
import { Chips } from '../../ui/Chips';
import { Field, Input, Select } from '../../ui/Field';
import { Mute, Row } from '../../ui/parts';
import { OTHER_NAMES, type ClipDraft, type ClipView } from './clip';
import { SectionPick } from './SectionPick';

const PARTS: readonly [TestedPart['part'], string][] = [
  ['section', 'Modules'],
  ['pack', 'Whole pack'],
  ['except', 'All but one'],
  ['inside', 'Piece of one'],
  ['other', 'Another part'],
  ['vehicle', 'Vehicle side'],
];
const POLES: readonly [Terminals, string][] = [
  ['negative', '− pole'],
  ['positive', '+ pole'],
  ['both', 'Both poles'],
];

/** What the tester's leads are on, and what they reach by it. */
export function ClipFields({
  order,
  draft,
  clip,
  onChange,
}: {
  order: readonly string[];
  draft: ClipDraft;
  clip: ClipView;
  onChange: (change: Partial<ClipDraft>) => void;
}) {
  return (
    <>
      <Row>
        <Chips
          selectionMode="single"
          disallowEmptySelection
          selectedKeys={[draft.part]}
          onSelectionChange={(k) => onChange({ part: [...k][0] as TestedPart['part'] })}
          aria-label="What is tested"
        >
          {PARTS.map(([id, name]) => (
            <ToggleButton key={id} id={id}>
              {name}
            </ToggleButton>
          ))}
        </Chips>
        {draft.part === 'section' && (
          <SectionPick order={order} from={draft.from} to={draft.to} onChange={onChange} />
        )}
        {draft.part === 'except' && (
          <Field style={{ flexDirection: 'row', alignItems: 'center', gap: 8 }}>
            out is
            <Select value={draft.module} onChange={(e) => onChange({ module: e.target.value })}>
              {order.map((id) => (
                <option key={id}>{id}</option>
              ))}
            </Select>
          </Field>
        )}
        {draft.part === 'inside' && (
          <>
            <Select
              aria-label="Module of the piece"
              value={draft.module}
              onChange={(e) => onChange({ module: e.target.value })}
            >
              {order.map((id) => (
                <option key={id}>{id}</option>
              ))}
            </Select>
            <Input
              aria-label="Which piece"
              placeholder="half A, cell 3, the set"
              value={draft.piece}
              maxLength={40}
              onChange={(e) => onChange({ piece: e.target.value })}
            />
          </>
        )}
        {draft.part === 'other' && (
          <Select
            aria-label="Which part"
            value={draft.which}
            onChange={(e) => onChange({ which: e.target.value as OtherPart })}
          >
            {OTHER_NAMES.map((p) => (
              <option key={p.id} value={p.id}>
                {p.name}
              </option>
            ))}
          </Select>
        )}
      </Row>
      {clip.pull.length > 0 && (
        <p>
          Pull {clip.pull.join(' and ')} first; {clip.pull.length > 1 ? 'they are' : 'it is'} recorded as out
          with this test. Both parts stay live.
        </p>
      )}
      {clip.asksPole && (
        <Row>
          <span>The lead is on the</span>
          <Chips
            selectionMode="single"
            selectedKeys={draft.terminals ? [draft.terminals] : []}
            onSelectionChange={(k) => onChange({ terminals: ([...k][0] as Terminals | undefined) ?? null })}
            aria-label="Pole"
          >
            {POLES.map(([id, name]) => (
              <ToggleButton key={id} id={id}>
                {name}
              </ToggleButton>
            ))}
          </Chips>
        </Row>
      )}
      {clip.says && <Mute>{clip.says}</Mute>}
    </>
  );
}
