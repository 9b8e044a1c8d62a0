import { answerForecast } from './forecast.answer';
import type { ForecastRequest } from './forecast.messages';

addEventListener('message', ({ data }: MessageEvent<ForecastRequest>) => {
  postMessage(answerForecast(data, () => performance.now()));
});
