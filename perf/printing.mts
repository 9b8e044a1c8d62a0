import { randomUUID } from 'node:crypto';
import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { chromium, type Page } from '@playwright/test';
import {
  addDevices,
  namesFromPattern,
  type Batch,
  type BatchProgress,
  type BatchSummary,
  type BringUp,
  type Image,
  type Plan,
  type PracticeView,
  type Proposal,
  type Round,
} from '@nest-mark/core';
import { freshLab, saveState } from '../stand-in/src/state';
import { median, type Result } from './measure.mjs';
import { until, withServer, type Call } from './server.mjs';

const boards = 50;
const network = '127.89.5';

/** A step that prints some ten lines a second, for as long as anything is measured. */
const prints = {
  id: randomUUID(),
  title: 'Prints',
  why: '',
  question: 'false',
  does: 'i=0; while [ $i -lt 900 ]; do echo "line $i of what a board prints while it is at work"; i=$((i + 1)); sleep 0.1; done',
  root: false,
  role: '',
  seconds: 120,
};

/** A drawer with a card for each board, before the practice bench is opened for the first time. */
function fillDrawer(data: string): void {
  const folder = join(data, 'practice');
  mkdirSync(folder, { recursive: true, mode: 0o700 });
  const lab = freshLab(network);
  const [card] = lab.cards;
  if (!card) throw new Error('the drawer is empty');
  const more = Array.from({ length: boards }, (_, at) => {
    const nth = String(at + 100);
    return { ...card, id: `card-${nth}`, title: `Card ${nth}`, serial: `p${nth}` };
  });
  saveState(join(folder, 'lab.json'), { ...lab, cards: [...lab.cards, ...more] });
}

/** A batch of so many practice boards that are proved. */
async function proved(call: Call): Promise<Batch> {
  await until(async () => {
    const images = await call<Image[]>('GET', '/images');
    return images.length > 0 && images.every(({ state }) => state === 'ready') ? true : null;
  });
  const [first] = await call<BatchSummary[]>('GET', '/batches');
  const { plan } = await call<Batch>('GET', `/batches/${first?.id ?? ''}`);
  const draw = {
    random: (below: number): number => Math.floor(Math.random() * below),
    id: () => randomUUID(),
  };
  const large: Plan = {
    ...plan,
    name: 'Printing',
    tray: { rows: 5, columns: 10 },
    devices: [],
    network: { subnet: `${network}.0/24`, port: 2222 },
    bringUp: {
      ...plan.bringUp,
      wanted: true,
      benchKey: true,
      atOnce: boards,
      without: ['updates', 'leftovers', 'reboot', 'key-off', 'shut-down', 'as-planned', 'health'],
      own: [prints],
    },
  };
  const filled = addDevices(large, namesFromPattern('print-{n:02}', boards), '', draw);
  const batch = await call<Batch>('POST', '/batches', { plan: filled, secrets: {} });
  const at = `/batches/${batch.id}`;
  const act = (action: object): Promise<unknown> => call('POST', '/practice/actions', action);
  await act({ do: 'pace', bootSeconds: 0, slotRate: 0 });
  for (let left = boards; left > 0;) {
    await act({ do: 'insertFresh' });
    const proposal = await until(async () => {
      const next = await call<Proposal>('GET', `${at}/next-round`);
      return next.cards.some(({ deviceId, medium }) => deviceId !== null && medium !== null) ? next : null;
    });
    const cards = proposal.cards.flatMap(({ slotId, deviceId, medium }) =>
      deviceId !== null && medium ? [{ slotId, deviceId, identity: medium.identity }] : [],
    );
    const { id } = await call<Round>('POST', `${at}/rounds`, {
      cards,
      confirm: `erase ${String(cards.length)}`,
      lookedAt: proposal.at,
    });
    await until(async () => {
      const { rounds } = await call<BatchProgress>('GET', `${at}/progress`);
      return rounds.some((round) => round.id === id && round.state === 'done') ? true : null;
    });
    await act({ do: 'seat', batchId: batch.id });
    left -= cards.length;
  }
  await act({ do: 'powerAll', on: true });
  await call('POST', `${at}/powered`, { deviceIds: batch.plan.devices.map(({ id }) => id) });
  await until(async () =>
    (await call<PracticeView>('GET', '/practice')).boards.every(({ phase }) => phase === 'online')
      ? true
      : null,
  );
  await call('POST', `${at}/searches`, { subnet: `${network}.0/24`, port: 2222 });
  await until(async () => {
    const { devices } = await call<BatchProgress>('GET', `${at}/progress`);
    return devices.every(({ seen }) => seen?.standing === 'proved') ? true : null;
  });
  return batch;
}

/** Milliseconds from a key in the field that narrows the table until its rows are those that were asked for. */
const measure = (page: Page, presses: number): Promise<number[]> =>
  page.evaluate<number[]>(`(async () => {
    const field = document.querySelector('nm-find-rows input');
    const rows = () => [...document.querySelectorAll('tr[data-host]')];
    const press = (value, met) => new Promise((resolve) => {
      const begun = performance.now();
      field.value = value;
      field.dispatchEvent(new Event('input', { bubbles: true }));
      const look = () => (met() ? resolve(performance.now() - begun) : setTimeout(look, 0));
      look();
    });
    const figures = [];
    for (let turn = 0; turn < ${String(presses)}; turn++) {
      const number = String(10 + (turn % 40));
      figures.push(await press('print-' + number, () => rows().length === 1 && rows()[0].dataset.host === 'print-' + number));
      await new Promise((resolve) => setTimeout(resolve, 60));
    }
    return figures;
  })()`);

/** Megabytes of the largest program of ours that works with a data folder. */
function serverMemory(data: string): number {
  const lines = execFileSync('ps', ['-eo', 'pid=,args='], { encoding: 'utf8' }).split('\n');
  const sizes = lines
    .filter((line) => line.includes(data) && /^\s*\d+ \S*node /.test(line))
    .map((line) => Number(/^\s*(\d+)/.exec(line)?.[1]))
    .map((pid) => {
      try {
        return (
          Number(/^VmRSS:\s+(\d+) kB/m.exec(readFileSync(`/proc/${String(pid)}/status`, 'utf8'))?.[1] ?? 0) /
          1000
        );
      } catch {
        return 0;
      }
    });
  return Math.max(0, ...sizes);
}

/** The page while fifty boards print. */
export async function whilePrinting(root: string, folder: string): Promise<Result[]> {
  const data = join(folder, 'printing');
  fillDrawer(data);
  return withServer(root, data, network, async (url, call) => {
    const batch = await proved(call);
    const at = `/batches/${batch.id}/bring-up`;
    await call('POST', at, { deviceIds: batch.plan.devices.map(({ id }) => id), way: 'bench-key' });
    await until(async () => {
      const { boards: now } = await call<BringUp>('GET', at);
      const printing = now.filter(({ steps }) =>
        steps.some(({ stepId, state }) => stepId === `own-${prints.id}` && state === 'doing'),
      );
      return printing.length === boards ? true : null;
    });
    const browser = await chromium.launch({
      executablePath: '/usr/bin/chromium-headless-shell',
      args: [
        '--no-sandbox',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
      ],
    });
    try {
      const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
      await page.goto(`${url}/batch/${batch.id}/bring-up`);
      await page.locator('tr[data-host]').first().waitFor();
      await page.waitForTimeout(2000);
      const figures = await measure(page, 40);
      const memory = serverMemory(data);
      const { running } = await call<BringUp>('GET', at);
      if ((running[0]?.boards ?? 0) < boards) throw new Error('the boards ended before all was measured');
      return [
        {
          what: `key in the field that finds boards until the table shows them, ${String(boards)} boards printing, middle of 40`,
          figure: `${median(figures).toFixed(1)} ms (slowest ${Math.max(...figures).toFixed(1)})`,
          bound: 'under 50 ms',
        },
        {
          what: 'memory of the server meanwhile, with the stand-in boards in it',
          figure: `${memory.toFixed(0)} MB`,
          bound: '400 MB',
        },
      ];
    } finally {
      await browser.close();
    }
  });
}
