/** How deep the brackets of a JSON text go, brackets within texts left out. */
export function depthOf(bytes: Uint8Array): number {
  let depth = 0;
  let most = 0;
  let inText = false;
  for (let i = 0; i < bytes.length; i++) {
    const c = bytes[i];
    if (inText) {
      if (c === 0x5c) i++;
      else if (c === 0x22) inText = false;
    } else if (c === 0x22) inText = true;
    else if (c === 0x7b || c === 0x5b) most = Math.max(most, ++depth);
    else if (c === 0x7d || c === 0x5d) depth--;
  }
  return most;
}
