/** Whether a name is a time zone of the IANA database, written as there; the platform's copy is asked. */
export function isTimeZone(name: string): boolean {
  // Platforms take any case, boards do not.
  if (!/^[A-Z][A-Za-z0-9_+-]*(\/[A-Z][A-Za-z0-9_+-]*)*$/.test(name)) return false;
  try {
    new Intl.DateTimeFormat('en', { timeZone: name });
    return true;
  } catch {
    return false;
  }
}
