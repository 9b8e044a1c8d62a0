/**
 * For what the database decides: of two that do it at once, one is refused by a constraint, and told so in words.
 * @param constraint its name in the database
 * @returns a handler of what was thrown; it throws the refusal, or what it was given
 */
export const refusedBy =
  (constraint: string, refusal: () => Error) =>
  (error: unknown): never => {
    throw (error as { constraint?: string }).constraint === constraint ? refusal() : error;
  };
