import { problemsOf } from './entry';

export const practiceProblems = problemsOf({
  'no-practice': {
    status: 404,
    says: 'This station has no practice bench.',
    todo: 'Start the demo to have one.',
  },
  'practice-refused': { status: 409, says: '{why}' },
});
