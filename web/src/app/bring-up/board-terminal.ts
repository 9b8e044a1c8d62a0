import {
  ChangeDetectionStrategy,
  Component,
  effect,
  type ElementRef,
  inject,
  input,
  signal,
  viewChild,
  ViewEncapsulation,
  type OnDestroy,
} from '@angular/core';
import type { FitAddon } from '@xterm/addon-fit';
import type { Terminal } from '@xterm/xterm';
import { firstValueFrom } from 'rxjs';
import type { Device, LoginWay } from '@nest-mark/core';
import { Api } from '../api/api';
import { asProblem } from '../api/api-problem';

/** Lines above the visible ones that can be scrolled back to. */
const SCROLLED = 5000;

/** A terminal to one board, in the page. */
@Component({
  selector: 'nm-board-terminal',
  changeDetection: ChangeDetectionStrategy.OnPush,
  // The terminal draws its own elements.
  encapsulation: ViewEncapsulation.None,
  template: `
    @if (problem(); as why) {
      <p class="notice hand" role="alert">{{ why }}</p>
    }
    <div class="terminal-place" #place [hidden]="problem() !== '' && !opened()"></div>
    @if (opened() && ended() === '') {
      <p class="small soft">Tab goes to the board; Shift-Tab leaves the terminal.</p>
    }
    @if (ended(); as why) {
      <p class="small" role="status">{{ why }}</p>
    }
  `,
  styleUrls: ['../../../../node_modules/@xterm/xterm/css/xterm.css', './board-terminal.css'],
})
export class BoardTerminal implements OnDestroy {
  private readonly api = inject(Api);
  readonly batchId = input.required<string>();
  readonly device = input.required<Device>();
  readonly way = input.required<LoginWay>();
  /** Whether what is shown goes into the board's record. */
  readonly keep = input.required<boolean>();
  protected readonly problem = signal('');
  protected readonly ended = signal('');
  protected readonly opened = signal(false);
  private readonly place = viewChild.required<ElementRef<HTMLElement>>('place');
  private terminal: Terminal | null = null;
  private fit: FitAddon | null = null;
  private socket: WebSocket | null = null;
  private gone = false;
  private readonly watch = new ResizeObserver(() => this.fit?.fit());

  constructor() {
    let begun = false;
    effect(() => {
      const place = this.place().nativeElement;
      if (begun) return;
      begun = true;
      this.open(place).catch((error: unknown) => this.problem.set(asProblem(error).detail));
    });
  }

  ngOnDestroy(): void {
    this.gone = true;
    this.watch.disconnect();
    this.socket?.close();
    this.terminal?.dispose();
  }

  private hasLeft(): boolean {
    return this.gone;
  }

  private async open(place: HTMLElement): Promise<void> {
    // Large, and wanted by few.
    const [{ Terminal }, { FitAddon }] = await Promise.all([
      import('@xterm/xterm'),
      import('@xterm/addon-fit'),
    ]);
    if (this.hasLeft()) return;
    const styles = getComputedStyle(document.documentElement);
    const colour = (name: string): string => styles.getPropertyValue(name).trim();
    const terminal = new Terminal({
      scrollback: SCROLLED,
      fontFamily: colour('--mono'),
      fontSize: 15,
      screenReaderMode: true,
      theme: {
        background: colour('--sunk'),
        foreground: colour('--ink'),
        cursor: colour('--marsh'),
        selectionBackground: colour('--focus'),
        selectionForeground: colour('--on-strong'),
      },
    });
    this.terminal = terminal;
    const fit = new FitAddon();
    this.fit = fit;
    terminal.loadAddon(fit);
    // Tab completes on the board; who works by keys leaves by Shift-Tab (WCAG 2.2, 2.1.2: no keyboard trap).
    terminal.attachCustomKeyEventHandler((event) => !(event.key === 'Tab' && event.shiftKey));
    terminal.open(place);
    fit.fit();
    // Whoever opens it looks at it; what is out of sight is not drawn either.
    place.scrollIntoView({ block: 'nearest' });
    this.watch.observe(place);
    const { ticket } = await firstValueFrom(
      this.api.openTerminal(this.batchId(), this.device().id, {
        way: this.way(),
        columns: Math.max(20, terminal.cols),
        rows: Math.max(5, terminal.rows),
        keep: this.keep(),
      }),
    );
    const socket = new WebSocket(
      `${location.origin.replace(/^http/, 'ws')}/api/terminals/${encodeURIComponent(ticket)}`,
    );
    this.socket = socket;
    if (this.hasLeft()) {
      socket.close();
      return;
    }
    socket.binaryType = 'arraybuffer';
    socket.onopen = () => {
      this.opened.set(true);
      terminal.focus();
    };
    socket.onmessage = ({ data }: MessageEvent<ArrayBuffer>) => terminal.write(new Uint8Array(data));
    socket.onclose = ({ reason }) => {
      if (this.gone) return;
      terminal.options.disableStdin = true;
      this.ended.set(`The terminal ended${reason === '' ? '' : `: ${reason}`}.`);
    };
    terminal.onData((keys) => {
      if (socket.readyState === WebSocket.OPEN) socket.send(new TextEncoder().encode(keys));
    });
    terminal.onResize(({ cols, rows }) => {
      if (socket.readyState === WebSocket.OPEN && cols >= 20 && rows >= 5)
        socket.send(JSON.stringify({ columns: cols, rows }));
    });
  }
}
