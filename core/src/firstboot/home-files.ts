/** Where a file of the board lies in somebody's home. */
export interface HomeFile {
  /** Whose home it is. */
  user: string;
  /** Every folder between the home and the file, from the top. */
  folders: string[];
}

/**
 * Whose home a path lies in; null when it lies in none of them. Homes are /home/NAME, as useradd(8) makes them.
 * @param users names of the users that will be on the board
 */
export function homeFile(path: string, users: readonly string[]): HomeFile | null {
  const [root, home, user = '', ...rest] = path.split('/');
  if (root !== '' || home !== 'home' || rest.length === 0 || !users.includes(user)) return null;
  const folders = rest.slice(0, -1).map((_, at) => ['/home', user, ...rest.slice(0, at + 1)].join('/'));
  return { user, folders };
}
