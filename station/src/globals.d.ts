/** The part of the WebAssembly JavaScript interface (W3C) that the block pool uses; Node's types leave it out. */
declare namespace WebAssembly {
  class Memory {
    constructor(descriptor: { initial: number; maximum?: number; shared?: boolean });
    readonly buffer: SharedArrayBuffer;
  }
}
