/** Typed arrays that grow by doubling: millions of numbers without an object each. */
export class Floats {
  array: Float32Array;
  length = 0;
  constructor(room = 1024) {
    this.array = new Float32Array(room);
  }
  push(value: number): void {
    if (this.length === this.array.length) {
      const wider = new Float32Array(this.length * 2);
      wider.set(this.array);
      this.array = wider;
    }
    this.array[this.length++] = value;
  }
  done(): Float32Array {
    return this.array.subarray(0, this.length);
  }
}

export class Ints {
  array: Int32Array;
  length = 0;
  constructor(room = 1024) {
    this.array = new Int32Array(room);
  }
  push(value: number): void {
    if (this.length === this.array.length) {
      const wider = new Int32Array(this.length * 2);
      wider.set(this.array);
      this.array = wider;
    }
    this.array[this.length++] = value;
  }
  done(): Int32Array {
    return this.array.subarray(0, this.length);
  }
}
