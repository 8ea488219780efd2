/** Of this package: code that another has written is not run. */
export const version = '0.1.0'
