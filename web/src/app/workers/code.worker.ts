import { answerCode } from './code.answer';
import type { CodeRequest } from './code.messages';

addEventListener('message', ({ data }: MessageEvent<CodeRequest>) => {
  postMessage(answerCode(data));
});
