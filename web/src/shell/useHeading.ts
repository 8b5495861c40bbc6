import { useEffect, useRef } from 'react';

/** How long a page may take to arrive before the focus is left where it is, ms. */
const PATIENCE_MS = 3000;

/**
 * When another page is shown in place of the last one, the focus goes to its heading: whoever works by keyboard or by ear
 * goes on where the new page begins. Not on the first page, nor out of a field that is being typed in.
 */
export function useHeading(page: string): void {
  const shown = useRef(page);
  useEffect(() => {
    if (shown.current === page) return;
    shown.current = page;
    const until = performance.now() + PATIENCE_MS;
    let timer = 0;
    const look = (): void => {
      const busy = document.activeElement?.matches('input, textarea, select, [role="dialog"] *');
      const heading = document.querySelector<HTMLElement>('#stage h1');
      if (busy) return;
      if (heading) {
        heading.tabIndex = -1;
        heading.focus({ preventScroll: true });
      } else if (performance.now() < until) timer = window.setTimeout(look, 60);
    };
    timer = window.setTimeout(look, 30);
    return () => clearTimeout(timer);
  }, [page]);
}
