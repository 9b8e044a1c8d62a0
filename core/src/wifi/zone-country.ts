/** Part of the platform's Intl.Locale that knows the zones of a region (ECMA-402 Intl Locale Info). */
interface LocaleZones {
  timeZones?: readonly string[];
  getTimeZones?(): readonly string[];
}

/**
 * Time zones of a country in the platform's copy of the IANA database; null where the platform cannot tell.
 * @param country ISO 3166-1 alpha-2
 */
function zonesOfCountry(country: string): readonly string[] | null {
  try {
    const locale = new Intl.Locale(`und-${country}`) as Intl.Locale & LocaleZones;
    const zones = locale.getTimeZones?.() ?? locale.timeZones;
    return zones && zones.length > 0 ? zones : null;
  } catch {
    return null;
  }
}

/** The name by which the platform knows a zone, so that old and new names of one zone are the same. */
function canonical(zone: string): string {
  try {
    return new Intl.DateTimeFormat('en', { timeZone: zone }).resolvedOptions().timeZone;
  } catch {
    return zone;
  }
}

/** Whether a zone belongs to a country; null when that cannot be told. UTC belongs everywhere. */
export function zoneInCountry(zone: string, country: string): boolean | null {
  if (/^(Etc\/.*|UTC|GMT)$/.test(zone)) return true;
  const zones = zonesOfCountry(country);
  if (!zones) return null;
  const wanted = canonical(zone);
  return zones.some((candidate) => candidate === zone || canonical(candidate) === wanted);
}
