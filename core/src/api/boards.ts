import * as z from 'zod';
import { BoardProfileSchema, ShelvedBoardSchema } from '../boards/profiles';

export const SaveBoardSchema = z.object({ board: BoardProfileSchema });

export const BoardListSchema = z.array(ShelvedBoardSchema);
