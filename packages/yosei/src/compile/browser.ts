/**
 * What a browser's bundle has instead of `compiler.ts` and `sound-endpoint.ts`. A page has no hot path, and its policy
 * mostly forbids code from text; and its declarations have been checked by the service that they are shared with.
 */
export const compileEndpoint = () => undefined
export const checkEndpoint = () => undefined
