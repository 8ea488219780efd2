/** The parts of a request, in the order in which their errors are reported. */
export const partNames = ['path', 'query', 'header', 'cookie', 'body'] as const
/** The parts of a request. */
export type Part = (typeof partNames)[number]
/** The parts of a request: as sent, or as read. */
export type Parts = { readonly [part: string]: unknown }
