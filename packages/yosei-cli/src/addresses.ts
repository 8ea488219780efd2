/** Addresses that came, beside those that are declared. */

/** An address with `[]` for each element. */
export const folded = (address: string): string => address.replace(/\[\d+\]/g, '[]')
