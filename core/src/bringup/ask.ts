import type { BoardAnswer, Answers, Question } from './model';
import { shellWord } from '../formats/shell/word';

/**
 * Many questions in one script, so that a board is asked all of them in one go. Each answer stands between two lines
 * that begin with a mark that nobody can guess; what a board prints can therefore not pass for another answer.
 */

/** Seconds that one question may take. */
export const QUESTION_SECONDS = 20;
/** Octets of one answer that are taken. */
export const ANSWER_OCTETS = 65_536;

/**
 * The script, for `sh -s` on the board. Whatever a question prints is cut, and a question that never ends is ended
 * where the board has the program for it.
 * @param mark letters and digits, drawn anew for each script
 */
export function questionScript(questions: readonly Question[], mark: string): string {
  const head = `LC_ALL=C
export LC_ALL
PATH=/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin
export PATH
umask 077
cd / || exit 1
run() {
    if command -v timeout >/dev/null 2>&1; then timeout ${String(QUESTION_SECONDS)} sh -c "$1"; else sh -c "$1"; fi
}
exec 4>&1
ask() {
    printf '\\n%s %s begin\\n' ${mark} "$1"
    code=$({ { run "$2" </dev/null 2>&1 3>&- 4>&-; echo $? >&3; } | head -c ${String(ANSWER_OCTETS)} >&4; } 3>&1)
    printf '\\n%s %s rc=%s\\n' ${mark} "$1" "$code"
}
`;
  return head + questions.map(({ id, command }) => `ask ${id} ${shellWord(command)}\n`).join('');
}

/** Reads what the script printed; a question without its second line was not answered. */
export function readAnswers(output: string, mark: string, questions: readonly Question[]): Answers {
  const answers = new Map<string, BoardAnswer>();
  for (const { id } of questions) {
    const begin = `\n${mark} ${id} begin\n`;
    const from = output.indexOf(begin);
    const end = from < 0 ? -1 : output.indexOf(`\n${mark} ${id} rc=`, from + begin.length - 1);
    if (end < 0) {
      answers.set(id, {
        code: null,
        text: from < 0 ? '' : output.slice(from + begin.length, from + begin.length + ANSWER_OCTETS),
      });
      continue;
    }
    const code = /^\d{1,3}/.exec(output.slice(end + `\n${mark} ${id} rc=`.length))?.[0];
    answers.set(id, {
      code: code === undefined ? null : Number(code),
      text: output.slice(from + begin.length, Math.max(end, from + begin.length)),
    });
  }
  return answers;
}

/** Answers for questions that nobody was asked. */
export const unasked = (questions: readonly Question[]): Answers =>
  new Map(questions.map(({ id }) => [id, { code: null, text: '' }]));

/** Text as it can be shown and kept: control characters are dots, lines stay. */
export const plainOutput = (text: string): string =>
  text
    // Colours and movements of a terminal (ECMA-48 sections 5.4 and 5.6).
    .replace(/\x1b(?:\[[0-?]*[ -/]*[@-~]|\][^\x07\x1b]*(?:\x07|\x1b\\)|[@-_])/g, '')
    .replace(/\r\n/g, '\n')
    .replace(/[\x00-\x08\x0b-\x1f\x7f-\x9f\u2028\u2029\u202a-\u202e\u2066-\u2069]/g, '·');

/** Strikes secrets out of a text. @param secrets those of four characters and more are looked for */
export function struckOut(text: string, secrets: readonly string[]): string {
  let left = text;
  for (const secret of [...secrets].sort((a, b) => b.length - a.length))
    if (secret.length >= 4) left = left.replaceAll(secret, '[struck out]');
  return left;
}
