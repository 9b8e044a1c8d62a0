/** A picture in which a code is looked for. */
export interface CodeRequest {
  /** Red, green, blue and opacity of each point, row by row. */
  points: Uint8ClampedArray;
  width: number;
  height: number;
}

/** Octets of the code that was found; null where there is none. */
export interface CodeAnswer {
  octets: Uint8Array | null;
}
