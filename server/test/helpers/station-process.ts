import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { askOf, searchProgram } from './server';

const program = join(__dirname, '../../dist/main.js');

const code = `
import { startServer } from ${JSON.stringify(program)};
const running = await startServer(JSON.parse(process.env.STATION_OPTIONS));
process.stdout.write(running.url + '\\n');
process.once('SIGTERM', () => void running.stop().then(() => process.exit(0)));
`;

/** A station in a process of its own: the built server, as the start script runs it. */
export class StationProcess {
  private constructor(
    private readonly child: ChildProcess,
    readonly url: string,
  ) {}

  static async start(options: {
    databaseUrl: string;
    dataFolder: string;
    station: string;
    practiceNetwork: string;
  }): Promise<StationProcess> {
    if (!existsSync(program)) throw new Error(`${program} is missing. Run npm test, which builds it.`);
    const child = spawn(process.execPath, ['--input-type=module', '-e', code], {
      env: {
        ...process.env,
        STATION_OPTIONS: JSON.stringify({
          port: 0,
          webFolder: null,
          demoImage: null,
          logLevel: 'error',
          searchProgram,
          ...options,
        }),
      },
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    let told = '';
    child.stderr.on('data', (text: Buffer) => (told += text.toString()));
    const url = await new Promise<string>((resolve, reject) => {
      child.stdout.once('data', (text: Buffer) => resolve(text.toString().trim()));
      child.once('exit', () => reject(new Error(`the station did not start: ${told}`)));
    });
    return new StationProcess(child, url);
  }

  /** Ends it as a power cut would. */
  async kill(): Promise<void> {
    const gone = once(this.child, 'exit');
    this.child.kill('SIGKILL');
    await gone;
  }

  async stop(): Promise<void> {
    if (this.child.exitCode !== null || this.child.signalCode !== null) return;
    const gone = once(this.child, 'exit');
    this.child.kill('SIGTERM');
    await gone;
  }

  /** A call that must succeed. */
  async ok<T>(method: string, path: string, body?: unknown): Promise<T> {
    const answer = await askOf<T>(this.url, method, path, body);
    if (answer.status >= 400) throw new Error(`${method} ${path}: ${JSON.stringify(answer.body)}`);
    return answer.body;
  }
}
