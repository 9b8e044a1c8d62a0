/** Where a board keeps what a move left; all of it is root's alone. */
export const MOVE_FOLDER = '/var/lib/nest-mark/move';

/** Units that systemd makes for a move, by what they do. */
export const units = { back: 'nest-mark-return', trial: 'nest-mark-return-try', go: 'nest-mark-go' } as const;
