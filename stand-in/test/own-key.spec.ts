import ssh2 from 'ssh2';
import { ownKey } from '../src/board/own-key';

it('a host key that a board makes for itself can be read, two thousand times of two thousand', () => {
  for (let nth = 0; nth < 2000; nth++) expect(ssh2.utils.parseKey(ownKey())).not.toBeInstanceOf(Error);
});
