import { forecast, ForecastError, SimulationError, whatIfs } from '@nest-mark/core';
import type { ForecastAnswer, ForecastRequest } from './forecast.messages';

/** Works a request out. @param now clock in milliseconds, to tell how long it took */
export function answerForecast({ turn, input, desktop }: ForecastRequest, now: () => number): ForecastAnswer {
  const start = now();
  try {
    const result = forecast(input);
    const changes = whatIfs(input, result, desktop);
    return { turn, ok: true, forecast: result, whatIfs: changes, milliseconds: now() - start };
  } catch (error) {
    if (!(error instanceof ForecastError || error instanceof SimulationError)) throw error;
    return { turn, ok: false, message: error.message };
  }
}
