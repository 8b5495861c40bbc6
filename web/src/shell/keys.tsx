import { JOT_SHAPES } from '@cellmend/core/jot';
import { PHASES } from '@cellmend/core/route';
import { useEffect, useRef } from 'react';
import { Dialog } from 'react-aria-components';
import { DialogBox, Overlay } from '../ui/dialog';
import { Button, DataTable, Row, Stack } from '../ui/parts';

/** The letter that `G` takes to each stage: the first one of its name that is still free. */
export const STAGE_LETTERS: Record<string, string> = (() => {
  const letters: Record<string, string> = {};
  const used = new Set<string>();
  for (const s of PHASES.flatMap((p) => p.stages)) {
    const letter = [...s.name.toLowerCase()].find((c) => /[a-z]/.test(c) && !used.has(c))!;
    used.add(letter);
    letters[letter] = s.id;
  }
  return letters;
})();

export interface KeyActions {
  jot: () => void;
  /** Begins a line with what came already, and leaves the jot line in focus for the rest. */
  type: (text: string) => void;
  walk: () => void;
  stage: (id: string) => void;
  step: (by: 1 | -1) => void;
  help: () => void;
  stop: () => void;
}

/** No hand types two keys within this time; a label scanner types a whole label. ms. */
const SCANNER_MS = 35;

const typing = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement &&
  (target.isContentEditable ||
    /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName) ||
    target.closest('[role=dialog]') !== null);

/** Keys of the job screen; silent while somebody types or a dialog is open. */
export function useKeys(actions: KeyActions): void {
  const held = useRef(actions);
  useEffect(() => {
    held.current = actions;
  });
  useEffect(() => {
    let afterG = 0;
    let run = '';
    let lastAt = 0;
    let due: ReturnType<typeof setTimeout> | null = null;
    /** Keys that come as no hand types them are a scanner: they go to the jot line, and none of them acts. */
    const scanned = (event: KeyboardEvent): boolean => {
      const quick = event.timeStamp - lastAt < SCANNER_MS;
      lastAt = event.timeStamp;
      run = quick ? run + event.key : event.key;
      if (!quick || run.length < 2) return false;
      if (due) clearTimeout(due);
      due = null;
      event.preventDefault();
      held.current.type(run);
      run = '';
      return true;
    };
    const onKey = (event: KeyboardEvent): void => {
      if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return;
      if (event.key.length === 1 && scanned(event)) return;
      const key = event.key.toLowerCase();
      const act = (work: () => void): void => {
        event.preventDefault();
        due = setTimeout(work, SCANNER_MS + 5);
      };
      if (Date.now() - afterG < 1500 && STAGE_LETTERS[key]) {
        afterG = 0;
        return act(() => held.current.stage(STAGE_LETTERS[key]!));
      }
      afterG = key === 'g' ? Date.now() : 0;
      // The line itself harms nothing, and whoever types on at once types into it.
      if (key === 'j' || key === '/') {
        event.preventDefault();
        held.current.jot();
      } else if (key === 'w') act(() => held.current.walk());
      else if (key === '[') act(() => held.current.step(-1));
      else if (key === ']') act(() => held.current.step(1));
      else if (key === 's') act(() => held.current.stop());
      else if (key === '?') act(() => held.current.help());
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, []);
}

export function KeyHelp({ onClose }: { onClose: () => void }) {
  const names = Object.entries(STAGE_LETTERS).map(([letter, id]): [string, string] => [
    `G then ${letter.toUpperCase()}`,
    PHASES.flatMap((p) => p.stages).find((s) => s.id === id)!.name,
  ]);
  return (
    <Overlay isOpen onOpenChange={(open) => !open && onClose()} isDismissable>
      <DialogBox>
        <Dialog aria-label="Keys">
          <Stack>
            <h2>Keys</h2>
            <Rows
              of={[
                ['J', 'Jot line'],
                ['/', 'Find a module or channel'],
                ['S', 'Stop: hot, hissing, swollen, smoke, unexpected voltage'],
                ['W', 'Walk through modules, groups or joints'],
                ['[ and ]', 'Previous and next module'],
              ]}
            />
            <h3>What the jot line reads</h3>
            <Rows of={JOT_SHAPES} />
            <h3>To a stage</h3>
            <Rows of={names} />
            <Row>
              <Button quiet onPress={onClose}>
                Close
              </Button>
            </Row>
          </Stack>
        </Dialog>
      </DialogBox>
    </Overlay>
  );
}

const Rows = ({ of }: { of: readonly (readonly [string, string])[] }) => (
  <DataTable>
    <tbody>
      {of.map(([k, what]) => (
        <tr key={k}>
          <td className="n">{k}</td>
          <td>{what}</td>
        </tr>
      ))}
    </tbody>
  </DataTable>
);
