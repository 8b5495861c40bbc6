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
  walk: () => void;
  stage: (id: string) => void;
  step: (by: 1 | -1) => void;
  help: () => void;
  stop: () => void;
}

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
    const onKey = (event: KeyboardEvent): void => {
      if (event.ctrlKey || event.metaKey || event.altKey || typing(event.target)) return;
      const key = event.key.toLowerCase();
      const act = (work: () => void): void => {
        event.preventDefault();
        work();
      };
      if (Date.now() - afterG < 1500 && STAGE_LETTERS[key]) {
        afterG = 0;
        return act(() => held.current.stage(STAGE_LETTERS[key]!));
      }
      afterG = key === 'g' ? Date.now() : 0;
      if (key === 'j' || key === '/') act(() => held.current.jot());
      else if (key === 'w') act(() => held.current.walk());
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
  const names = Object.entries(STAGE_LETTERS).map(([letter, id]) => [
    `G then ${letter.toUpperCase()}`,
    PHASES.flatMap((p) => p.stages).find((s) => s.id === id)!.name,
  ]);
  return (
    <Overlay isOpen onOpenChange={(open) => !open && onClose()} isDismissable>
      <DialogBox>
        <Dialog aria-label="Keys">
          <Stack>
            <h2>Keys</h2>
            <DataTable>
              <tbody>
                {[
                  ['J', 'Jot line'],
                  ['/', 'Find a module or channel'],
                  ['S', 'Stop: hot, hissing, swollen, smoke, unexpected voltage'],
                  ['W', 'Walk through the modules'],
                  ['[ and ]', 'Previous and next module'],
                  ...names,
                ].map(([k, what]) => (
                  <tr key={k}>
                    <td className="n">{k}</td>
                    <td>{what}</td>
                  </tr>
                ))}
              </tbody>
            </DataTable>
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
