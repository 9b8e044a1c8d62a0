/** Whether what an image comes from is an address of the web and not a path. */
export const isAddress = (source: string): boolean => /^https?:\/\//i.test(source);
