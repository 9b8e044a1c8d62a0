/** Whether an error says that the database is away or cannot take anything now, and not that it refused a statement. */
export function isOutage(error: unknown): boolean {
  const { code, name, message } = error as { code?: unknown; name?: unknown; message?: unknown };
  if (typeof code === 'string') {
    // SQLSTATE classes (PostgreSQL documentation, appendix A): connection, resources, operator's intervention.
    if (/^(08|53|57)/.test(code) && code.length === 5) return true;
    // Serialisation failure and deadlock: the same statement may pass the next time.
    if (code === '40001' || code === '40P01') return true;
    if (/^E(CONN|PIPE|TIMEDOUT|HOSTUNREACH|NETUNREACH|AI_AGAIN)/.test(code)) return true;
  }
  if (name === 'KnexTimeoutError') return true;
  return (
    typeof message === 'string' &&
    /Connection terminated|Connection ended|not queryable|timeout expired|socket hang up/i.test(message)
  );
}
