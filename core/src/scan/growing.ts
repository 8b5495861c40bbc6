/** A Float64Array that grows by doubling, so a file of unknown length costs no array of boxed numbers. */
export class Growing {
  private data = new Float64Array(1024);
  length = 0;

  push(value: number): void {
    if (this.length === this.data.length) {
      const wider = new Float64Array(this.data.length * 2);
      wider.set(this.data);
      this.data = wider;
    }
    this.data[this.length++] = value;
  }

  get(i: number): number {
    return this.data[i]!;
  }

  /** NaN while there is none. */
  first(): number {
    return this.length > 0 ? this.data[0]! : NaN;
  }

  /** The values so far, trimmed. */
  done(): Float64Array {
    return this.data.slice(0, this.length);
  }
}
