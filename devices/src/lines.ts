const LONGEST_LINE = 4096;

/** Lines of a stream; one without end is refused. */
export class LineReader {
  private rest = '';
  constructor(private readonly onLine: (line: string) => void) {}
  push(text: string): boolean {
    this.rest += text;
    for (let at = this.rest.indexOf('\n'); at >= 0; at = this.rest.indexOf('\n')) {
      const line = this.rest.slice(0, at).trim();
      this.rest = this.rest.slice(at + 1);
      if (line !== '') this.onLine(line);
    }
    return this.rest.length <= LONGEST_LINE;
  }
}
