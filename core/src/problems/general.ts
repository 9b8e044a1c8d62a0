import { problemsOf } from './entry';

/** What any request may be answered. */
export const generalProblems = problemsOf({
  'not-json': {
    status: 400,
    says: 'This is not JSON, or not whole.',
    todo: 'Send JSON, with Content-Type: application/json.',
  },
  'not-utf8': {
    status: 415,
    says: 'The message is not plain UTF-8.',
    todo: 'Send JSON in UTF-8, without compression.',
  },
  'too-large': { status: 413, says: 'The request is too large.', todo: 'Send less at once.' },
  'too-deep': { status: 400, says: 'The message is nested too deeply.', todo: 'Send it in its usual form.' },
  'bad-text': {
    status: 400,
    says: 'The text holds a character that cannot be stored (NUL, or half of a pair).',
    todo: 'Take it out and send it again.',
  },
  'bad-address': {
    status: 400,
    says: 'The address has a % that begins no character.',
    todo: 'Correct the address.',
  },
  invalid: { status: 422, says: '{what}' },
  'no-such-path': {
    status: 404,
    says: 'There is nothing at this address.',
    todo: 'Look for it in the list of endpoints.',
  },
  'version-missing': {
    status: 428,
    says: 'The version is missing.',
    todo: 'Send the version that you read as If-Match: "N".',
  },
  'key-missing': {
    status: 400,
    says: 'What starts work needs a key, so that it is not started twice.',
    todo: 'Send an Idempotency-Key of 8 to 100 letters and digits.',
  },
  'key-reused': {
    status: 422,
    says: 'This Idempotency-Key was used for another request.',
    todo: 'Send a new one.',
  },
  'foreign-page': {
    status: 403,
    says: 'This program answers only pages that it served itself on this machine.',
    todo: 'Open its own address.',
  },
  'header-missing': {
    status: 403,
    says: 'A request that changes something needs a header that pages of other sites cannot send.',
    todo: 'Send X-Nest-Mark: 1.',
  },
  'key-used': {
    status: 401,
    says: 'This address was used already, or is not the newest one.',
    todo: 'The terminal in which Nest Mark was started prints a new one each time.',
  },
  'key-needed': {
    status: 401,
    says: 'Nest Mark was started by another account of this computer, or cannot tell whose this connection is.',
    todo: 'Open the address with the one-time key that was printed in the terminal where it was started.',
  },
  'secret-lost': { status: 409, says: '{why}' },
  'not-storable': {
    status: 422,
    unharmed: 'Nothing was changed.',
    says: 'A value is too large, or text holds a character that cannot be stored.',
    todo: 'Correct it and send it again.',
  },
  'database-full': {
    status: 507,
    unharmed: 'What was saved before is whole, and cards that are being written go on.',
    says: 'The disk that holds the database is full, and this was not saved.',
    todo: 'Make room, then do it again.',
  },
  'disk-full': {
    status: 507,
    unharmed: 'What was kept before is whole.',
    says: 'The disk that holds the data folder is full, and this was not kept.',
    todo: 'Make room, then do it again.',
  },
  'database-away': {
    status: 503,
    unharmed: 'Nothing was erased by this request and nothing that was saved is lost.',
    says: 'The database does not answer at the moment.',
    todo: 'It is tried again by itself; if it stays away, start Nest Mark again.',
    handling: 'wait',
  },
  internal: {
    status: 500,
    unharmed: 'Nothing was erased by this request.',
    says: 'Something broke in the server.',
    todo: 'The server’s log has the details.',
  },
});
