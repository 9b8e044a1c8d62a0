/** HTTP statuses that problems have, with what they mean here (RFC 9110 section 15; 428 is RFC 6585, 507 RFC 4918). */
export const statusTitles = {
  0: 'No answer',
  400: 'The request is not understood',
  401: 'Not let in',
  403: 'Not allowed from there',
  404: 'Not found',
  409: 'Not possible now',
  412: 'Changed in the meantime',
  413: 'Too large',
  415: 'Not in a form that is read here',
  422: 'Not accepted',
  428: 'Version missing',
  500: 'Something broke here',
  503: 'The database does not answer',
  507: 'A disk is full',
} as const;

/** 0 for a problem that the browser itself meets. */
export type ProblemStatus = keyof typeof statusTitles;

/**
 * What the browser does about a problem besides showing it: `wait` tries again by itself until it is over, `reload`
 * offers what somebody else saved, `go-on` asks how far the server is and goes on from there.
 */
export type ProblemHandling = 'show' | 'wait' | 'reload' | 'go-on';

/** One kind of problem. The texts have `{places}` for what differs from case to case. */
export interface ProblemEntry {
  status: ProblemStatus;
  /** What was not harmed or not done; empty where nothing could have been. It is told first. */
  unharmed: string;
  /** What is wrong, in one sentence. */
  says: string;
  /** What to do about it; empty where `says` has it. */
  todo: string;
  handling: ProblemHandling;
}

type Written = Omit<ProblemEntry, 'unharmed' | 'todo' | 'handling'> & Partial<ProblemEntry>;

type Filled<E extends Written> = {
  status: E['status'];
  unharmed: E['unharmed'] extends string ? E['unharmed'] : '';
  says: E['says'];
  todo: E['todo'] extends string ? E['todo'] : '';
  handling: ProblemHandling;
};

/** The problems of one domain, by code. */
export const problemsOf = <const T extends Record<string, Written>>(
  written: T,
): { [Code in keyof T]: Filled<T[Code]> } =>
  Object.fromEntries(
    Object.entries(written).map(([code, entry]) => [
      code,
      { unharmed: '', todo: '', handling: 'show', ...entry },
    ]),
  ) as { [Code in keyof T]: Filled<T[Code]> };
