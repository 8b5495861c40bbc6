/** A turn is over once no more of it came for so long; what the page still puts in then is looked at once more. */
const SETTLED_MS = 120;
const ONCE_MORE_MS = 1500;

/** Touched, the queries of a sheet are asked anew. */
function touch(): void {
  for (const sheet of document.styleSheets) {
    if (!(sheet.ownerNode instanceof HTMLStyleElement) || sheet.cssRules.length === 0) continue;
    const end = sheet.cssRules.length;
    sheet.insertRule('@media not all { x-none { color: inherit; } }', end);
    sheet.deleteRule(end);
  }
}

/**
 * Of rules that a script put in, a browser may go on with what their media queries said before the screen was turned while the page was
 * still being put together: a head for wide screens then lies across a narrow one, until the next turn.
 */
export function restyleOnTurn(): void {
  let timers: ReturnType<typeof setTimeout>[] = [];
  let width = innerWidth;
  addEventListener('resize', () => {
    // A keyboard that comes up changes the height alone: nothing is worked out anew under whoever types.
    if (innerWidth === width) return;
    width = innerWidth;
    timers.forEach(clearTimeout);
    timers = [SETTLED_MS, ONCE_MORE_MS].map((ms) => setTimeout(touch, ms));
  });
}
