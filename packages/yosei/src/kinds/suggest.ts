/** The declared name that was probably meant. */
import { nearestOf } from '../terms/nearest.js'
import type { Run } from './run.js'

/** The nearest of `names` to a name that is none of them, if one is near. Bounded: see `Run.suggestions`. */
export function suggest(name: string, names: readonly string[], run: Run): string | undefined {
  run.suggestions--
  return nearestOf(name, names)
}
