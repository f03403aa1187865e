/** Of how many pictures the times are kept. */
const KEPT = 40;

/** Milliseconds from one picture to the next, of the last ones. */
export class FrameTimes {
  private readonly times: number[] = [];

  add(ms: number): void {
    this.times.push(ms);
    if (this.times.length > KEPT) this.times.shift();
  }
  average(): number {
    return this.times.reduce((sum, ms) => sum + ms, 0) / Math.max(1, this.times.length);
  }
  longest(): number {
    return Math.max(0, ...this.times);
  }
}
