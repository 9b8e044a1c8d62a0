/** A batch's name as it can stand in a file name: small letters, digits and hyphens. */
export const fileSlug = (name: string): string =>
  name
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '') || 'batch';
