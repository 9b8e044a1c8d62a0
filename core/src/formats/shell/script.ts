import { textOrNull, utf8 } from '../../bytes';
import { Findings, type BootFile, type CheckedSettings, type CheckFinding } from '../finding';
import { checkKeyfile } from '../keyfile/keyfile';

/** A text inside a shell script (POSIX.1-2017, XCU section 2.7.4, "Here-Document"). */
interface HereDocument {
  content: string;
  /** Line of the script in which the content begins. */
  line: number;
  /** Whether the shell replaces `$` and backticks in it. */
  expands: boolean;
  /** The command that it is given to. */
  command: string;
}

/** Every here-document of a script. */
export function hereDocuments(text: string): HereDocument[] {
  const lines = text.split('\n');
  const found: HereDocument[] = [];
  for (let at = 0; at < lines.length; at++) {
    const start = /<<(-?)\s*(\\?)(['"]?)([A-Za-z0-9_]+)\3/.exec(lines[at] ?? '');
    if (!start) continue;
    const [, dash = '', backslash = '', quote = '', word = ''] = start;
    const end = lines.findIndex(
      (line, index) => index > at && (dash ? line.replace(/^\t+/, '') : line) === word,
    );
    if (end < 0) continue;
    found.push({
      content: lines.slice(at + 1, end).join('\n'),
      line: at + 2,
      expands: quote === '' && backslash === '',
      command: lines[at] ?? '',
    });
    at = end;
  }
  return found;
}

/**
 * Checks a script that somebody else wrote: the keyfiles that it writes, and who may read them. What the script does
 * beyond that is not judged.
 */
export function checkForeignScript(file: BootFile, settings: CheckedSettings): CheckFinding[] {
  const text = (textOrNull(file.content) ?? '').replace(/\r\n?/g, '\n');
  const found = new Findings(file.name);
  const keyfiles = hereDocuments(text).filter(({ content }) => /^\s*\[connection\]/m.test(content));
  const closed = /\bumask\s+0?[07]?77\b|\bchmod\s+(-R\s+)?0?[46]00\b|\binstall\b[^\n]*-m\s*0?[46]00\b/.test(
    text,
  );
  for (const { content, line, expands, command } of keyfiles) {
    const findings = checkKeyfile(file.name, utf8(content), line, settings);
    found.list.push(...findings);
    if (!closed)
      found.add(
        'stops',
        'keyfile-mode',
        'The script leaves a keyfile that others than root can read.',
        'NetworkManager ignores keyfiles with passphrases that others can read: the board joins nothing.',
        `chmod 600 ${/>\s*("?)([^"\s<]+)\1/.exec(command)?.[2] ?? '/etc/NetworkManager/system-connections/*'}`,
        { line: line - 1 },
      );
    if (expands && /[$`\\]/.test(content))
      found.add(
        'warns',
        'script-expands',
        'The shell replaces $, backticks and backslashes in this text before it is written.',
        'A passphrase with one of them becomes another one.',
        "Put the word behind << into single quotes: <<'END'",
        { line: line - 1 },
      );
  }
  const name =
    /\bhostnamectl\s+(?:set-hostname|hostname)\s+["']?([A-Za-z0-9.-]+)/.exec(text)?.[1] ??
    /\becho\s+["']?([A-Za-z0-9.-]+)["']?\s*>\s*\/etc\/hostname/.exec(text)?.[1];
  settings.hostName = name ?? null;
  for (const [, user = ''] of text.matchAll(/\b(?:useradd|adduser)\b[^\n]*?\s([a-z][a-z0-9_-]*)\s*$/gm))
    settings.users.push({
      name: user,
      keys: /authorized_keys/.test(text) ? 1 : 0,
      password: /\bchpasswd\b/.test(text),
    });
  return found.list;
}
