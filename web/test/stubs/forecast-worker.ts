import { answerForecast } from '../../src/app/workers/forecast.answer';
import type { ForecastAnswer, ForecastRequest } from '../../src/app/workers/forecast.messages';

interface StubWorker {
  asked: number[];
  answers: number;
  onmessage: ((event: { data: ForecastAnswer }) => void) | null;
  terminate(): void;
  postMessage(request: ForecastRequest): void;
}

/** Every worker that was made, newest last. */
export const made: StubWorker[] = [];

/** The worker's own work, on this thread and a moment later. */
export function forecastWorker(): StubWorker {
  const worker: StubWorker = {
    asked: [],
    answers: 0,
    onmessage: null,
    terminate: () => undefined,
    postMessage(request) {
      worker.asked.push(request.turn);
      setTimeout(() => {
        worker.onmessage?.({ data: answerForecast(request, () => 0) });
        worker.answers++;
      }, 0);
    },
  };
  made.push(worker);
  return worker;
}
