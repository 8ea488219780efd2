/** Header fields that say who asks, and that no output shows. */
export const secretHeaders: ReadonlySet<string> = new Set(['authorization', 'proxy-authorization', 'cookie'])
