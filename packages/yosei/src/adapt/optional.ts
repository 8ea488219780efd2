/** Packages that only some subpaths need: loaded when they do. */
import { createRequire } from 'node:module'

/**
 * @param why Begins the sentence that says what needs it.
 * @throws Error if it is not installed.
 */
export function loadOptional(name: string, why: string): unknown {
  try {
    return createRequire(import.meta.url)(name)
  } catch (cause) {
    if ((cause as { code?: string }).code !== 'MODULE_NOT_FOUND') throw cause
    throw new Error(`${why}: it needs that package (npm install ${name})`)
  }
}
