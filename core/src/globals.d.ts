/** The two text codecs of the WHATWG Encoding standard, present in browsers, workers and Node alike. */
declare class TextEncoder {
  encode(text: string): Uint8Array<ArrayBuffer>;
}
declare class TextDecoder {
  constructor(label?: string, options?: { fatal?: boolean; ignoreBOM?: boolean });
  decode(bytes: Uint8Array): string;
}
