import { answerCheck } from './check.answer';
import type { CheckRequest } from './check.messages';

addEventListener('message', ({ data }: MessageEvent<CheckRequest>) => {
  void answerCheck(data, () => performance.now()).then((answer) => postMessage(answer));
});
