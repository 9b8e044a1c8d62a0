/** A rate in octets per second as the trade writes it. */
export const megabytes = (rate: number): string => `${(rate / 1e6).toFixed(0)} MB/s`;
