/** Why a board does not come up, or comes up without something. */
export class BootFailure extends Error {
  override readonly name = 'BootFailure';
}

/** What a board's own programs read of its card. */
export interface CardFiles {
  readonly label: string;
  list(path?: string): Promise<{ name: string; folder: boolean; size: number }[]>;
  readFile(path: string, limit?: number): Promise<Uint8Array | null>;
}

/** What a board took from its card; its own reading, independent of the code that wrote it. */
export interface BoardSettings {
  hostName: string;
  users: { name: string; keys: string[]; hash: string | null; sudo?: 'free' | 'ask' | 'none' }[];
  passwordLogin: boolean;
  hostKey: string | null;
  /** Whether the login service runs. */
  loginService: boolean;
  files: { path: string; content: string; /** Whether others than its owner may read it. */ open: boolean }[];
  radio: {
    country: string | null;
    networks: { ssid: string; password: string | null; priority: number; hidden: boolean }[];
  };
  /** Empty where the image decides. */
  region: { timeZone: string; locale: string; keyboard: { layout: string; variant: string } | null };
  /** By which its system tells a first start from a later one; null where its method knows no such thing. */
  instanceId: string | null;
  /** What it posts once, when it is up. */
  calls: Call[];
  /** What the board ignored, with the reason. */
  ignored: string[];
}

/** Something that a board posts. */
export interface Call {
  url: string;
  /** A form. */
  body: string;
}

/** A board that was told nothing. */
export const blank = (): BoardSettings => ({
  hostName: 'board',
  users: [],
  passwordLogin: false,
  hostKey: null,
  loginService: true,
  files: [],
  radio: { country: null, networks: [] },
  region: { timeZone: '', locale: '', keyboard: null },
  instanceId: null,
  calls: [],
  ignored: [],
});

/** Text of a file on the boot partition, or null. */
export async function readText(volume: CardFiles, path: string): Promise<string | null> {
  const bytes = await volume.readFile(path);
  return bytes ? new TextDecoder('utf-8', { ignoreBOM: true }).decode(bytes) : null;
}

/** The access point itself, which answers as routers do. */
export const nobody: BoardSettings = { ...blank(), hostName: 'access-point' };
