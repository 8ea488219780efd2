/** Stands where a value may not be printed. */
export const masked = '(secret)'
