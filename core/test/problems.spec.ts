import fc from 'fast-check';
import { problemCodes, problemDomains, problems, problemText, statusTitles, type ProblemEntry } from '../src';

const texts = ({ unharmed, says, todo }: ProblemEntry): string[] => [unharmed, says, todo];

describe('the catalogue of problems', () => {
  it('has every code once, over all domains', () => {
    const all = Object.values(problemDomains).flatMap((entries) => Object.keys(entries));
    expect(new Set(all).size).toBe(all.length);
    expect([...all].sort()).toEqual([...problemCodes].sort());
  });

  it.each(problemCodes)('%s: sentences that are whole, and something to do', (code) => {
    const entry: ProblemEntry = problems[code];
    expect(statusTitles).toHaveProperty(String(entry.status));
    for (const text of texts(entry).filter((one) => one !== ''))
      // A sentence, or one that comes whole from whoever throws it.
      expect(text).toMatch(/^[A-Z{“].*([.}]|"\.)$/s);
    expect(entry.says).not.toBe('');
    const told = texts(entry).some((text) => /\{(why|what)\}/.test(text));
    // What to do stands in the catalogue, or in the words of whoever knows the case.
    if (!told) expect(entry.todo).not.toBe('');
  });

  it('fills places with anything a person may have typed, and only once', () => {
    fc.assert(
      fc.property(fc.string(), fc.string(), (title, why) => {
        expect(problemText('card-mounted', { title, why })).toBe(`Nothing was erased. ${title}: ${why}`);
        expect(problemText('network-needed', { plans: title })).toContain(`It is planned in ${title}.`);
      }),
    );
    expect(problemText('card-mounted', { title: '{why}', why: '$& {title}' })).toBe(
      'Nothing was erased. {why}: $& {title}',
    );
  });

  it('tells what was not harmed first, then what is wrong, then what to do', () => {
    expect(problemText('look-again', { minutes: '10' })).toBe(
      'Nothing was erased. You looked at these cards more than 10 minutes ago. Look again.',
    );
    expect(
      problemText('plan-stops', { harmless: 'Nothing was exported.', why: 'The country is missing.' }),
    ).toBe('Nothing was exported. The plan cannot be written yet: The country is missing.');
  });

  it('never says that nothing was erased of what a reader did while it was open', () => {
    for (const code of ['card-pulled', 'card-io', 'card-stalled', 'card-mismatch'] as const)
      expect(problems[code].unharmed).toBe('');
  });
});
