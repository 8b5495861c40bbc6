import type { SaveHeading, ScanPreview } from '@cellmend/contract/scans';
import type { Pack } from '@cellmend/core/pack';
import { useMemo, useState } from 'react';
import styled from 'styled-components';
import { Input, Select, Field } from '../../ui/Field';
import { Button, DataTable, Mute, NextBar, Row as Line, Sheet, Stack } from '../../ui/parts';
import {
  channelUnit,
  CHOICES,
  fillChannels,
  lackOf,
  mappingFrom,
  needsInterval,
  rowsOf,
  targetOf,
  valueOf,
  type Row,
} from './mappingView';

const Scroll = styled.div`
  max-height: 330px;
  overflow: auto;
  td:nth-child(2) {
    max-width: 190px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
`;

/** What each column of a new kind of file stands for: guessed, shown with values, confirmed once. */
export function Mapping({
  file,
  preview,
  pack,
  onConfirm,
  onCancel,
}: {
  file: string;
  preview: ScanPreview;
  pack: Pack;
  onConfirm: (mapping: SaveHeading['mapping']) => void;
  onCancel: () => void;
}) {
  const [rows, setRows] = useState(() => rowsOf(preview));
  const [all, setAll] = useState(false);
  const [interval, setInterval] = useState('');
  const intervalS = Number(interval.replace(',', '.')) || null;
  const lack = lackOf(rows, preview, pack, intervalS);
  const first = useMemo(() => rowsOf(preview), [preview]);
  // Recognised channels are many and alike: shown only when asked for.
  const shown = rows.filter((r) => all || first[r.index]!.target.kind !== 'channel');
  const recognised = rows.length - rows.filter((r) => first[r.index]!.target.kind !== 'channel').length;
  const unused = rows.filter((r) => r.target.kind === 'ignore').length;
  const held = new Set(rows.flatMap((r) => (r.target.kind === 'channel' ? [r.target.channelIndex] : [])));
  const missing = pack.channels.length - held.size;
  const likely = rows.filter((r) => r.target.kind === 'ignore' && channelUnit(r.sample, pack)).length;
  const set = (index: number, target: Row['target']): void =>
    setRows(rows.map((r) => (r.index === index ? { ...r, target } : r)));
  const what = preview.mapping.layout === 'long' ? 'Signal' : 'Column';
  return (
    <Sheet aria-label="What the columns stand for">
      <Stack>
        <h2>What do the columns of {file} stand for?</h2>
        <Mute>
          {preview.format === 'can' && `Decoded with ${preview.definitions.join(', ')}. `}
          {recognised > 0 && `${recognised} are recognised as channels. `}
          Asked once: the next file with this heading is read at once.
        </Mute>
        <Scroll tabIndex={0} role="group" aria-label="Columns">
          <DataTable>
            <thead>
              <tr>
                <th>{what}</th>
                <th>Values</th>
                <th>Stands for</th>
              </tr>
            </thead>
            <tbody>
              {shown.map((r) => (
                <tr key={r.index}>
                  <td>
                    <b>{r.name || `(no name, column ${r.index + 1})`}</b>
                  </td>
                  <td className="n">{r.sample}</td>
                  <td>
                    <Select
                      aria-label={`${r.name} stands for`}
                      value={valueOf(r.target, pack)}
                      onChange={(e) => set(r.index, targetOf(e.target.value, pack))}
                    >
                      {CHOICES.filter(
                        (c) => preview.mapping.layout === 'wide' || c.target.kind !== 'time',
                      ).map((c) => (
                        <option key={c.value} value={c.value}>
                          {c.name}
                        </option>
                      ))}
                      {(['V', 'mV'] as const).map((unit) => (
                        <optgroup key={unit} label={`Channel, ${unit}`}>
                          {pack.channels.map((c) => (
                            <option key={c.id} value={`channel:${c.id}:${unit}`}>
                              {c.id}, {unit}
                            </option>
                          ))}
                        </optgroup>
                      ))}
                    </Select>
                  </td>
                </tr>
              ))}
            </tbody>
          </DataTable>
        </Scroll>
        <Line>
          {recognised > 0 && (
            <Button quiet onPress={() => setAll(!all)}>
              {all ? 'Hide recognised channels' : `Show all ${rows.length}`}
            </Button>
          )}
          {missing > 0 && likely >= missing && (
            <Button quiet onPress={() => setRows(fillChannels(rows, pack))}>
              Take the {missing} that could be channels, in order
            </Button>
          )}
        </Line>
        {needsInterval(rows, preview) && (
          <Field>
            Seconds from row to row
            <Input
              inputMode="decimal"
              value={interval}
              onChange={(e) => setInterval(e.target.value)}
              style={{ maxWidth: 160 }}
            />
          </Field>
        )}
        <NextBar>
          <div>
            <b>{lack ?? 'Everything needed is named.'}</b>
            <br />
            {unused > 0 ? `${unused} ${unused === 1 ? 'is' : 'are'} not used.` : 'Nothing is left out.'}
          </div>
          <Button quiet onPress={onCancel}>
            Leave it
          </Button>
          <Button isDisabled={lack !== null} onPress={() => onConfirm(mappingFrom(rows, preview, intervalS))}>
            Read the file so
          </Button>
        </NextBar>
      </Stack>
    </Sheet>
  );
}
