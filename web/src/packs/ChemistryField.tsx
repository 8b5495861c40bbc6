import {
  CHEMISTRIES,
  chemistryName,
  defaultOcvTable,
  factsOf,
  type Chemistry,
  type PackProfile,
} from '@cellmend/core/pack';
import { ToggleButton } from 'react-aria-components';
import { FieldGroup } from '../ui/Field';
import { Chips } from '../ui/Chips';
import { Button, Mute, Row, Stack } from '../ui/parts';

/** The chemistry of a pack; another one asks first what becomes of the rest curve. */
export function ChemistryField({
  profile,
  change,
  take,
  wanted,
  want: setWanted,
}: {
  profile: PackProfile;
  change: (part: Partial<PackProfile>) => void;
  /** A whole profile in place of this one. */
  take: (next: PackProfile) => void;
  /** The chemistry that was pressed while its question is open: until it is answered nothing is saved. */
  wanted: Chemistry | null;
  want: (chemistry: Chemistry | null) => void;
}) {
  return (
    <>
      <FieldGroup>
        Chemistry
        <Chips
          selectionMode="single"
          disallowEmptySelection
          selectedKeys={[wanted ?? profile.chemistry]}
          onSelectionChange={(k) => setWanted([...k][0] as Chemistry)}
          aria-label="Chemistry"
        >
          {CHEMISTRIES.map((c) => (
            <ToggleButton key={c} id={c}>
              {chemistryName(c)}
            </ToggleButton>
          ))}
        </Chips>
      </FieldGroup>
      {wanted && wanted !== profile.chemistry && (
        <div role="alertdialog" aria-label="What becomes of the rest curve">
          <Stack $gap={8}>
            <b>
              {chemistryName(wanted)} instead of {chemistryName(profile.chemistry)}: what becomes of the rest
              curve?
            </b>
            <Mute>Limits that are the maker’s own stay; look them over.</Mute>
            <Row $gap={8}>
              <Button
                onPress={() => {
                  take({
                    ...profile,
                    chemistry: wanted,
                    ocv: defaultOcvTable(wanted),
                    ocvSource: factsOf(wanted).ocv.source,
                  });
                  setWanted(null);
                }}
              >
                Take the usual one of {chemistryName(wanted)}
              </Button>
              <Button
                quiet
                onPress={() => {
                  change({ chemistry: wanted });
                  setWanted(null);
                }}
              >
                Keep the table
              </Button>
              <Button quiet onPress={() => setWanted(null)}>
                Stay with {chemistryName(profile.chemistry)}
              </Button>
            </Row>
          </Stack>
        </div>
      )}
    </>
  );
}
