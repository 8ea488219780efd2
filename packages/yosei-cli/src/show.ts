/** Shows what an endpoint is: its outline, or the code that is made for it. */
import { distance } from 'fastest-levenshtein'
import { codeOf, type Intake, outline } from 'yosei'
import { Failure } from './failure.js'

/** @throws Failure where the intake has no endpoint of that name. */
export function showEndpoint(app: Intake, name: string, code: boolean): string {
  const endpoint = Object.hasOwn(app.endpoints, name) ? app.endpoints[name] : undefined
  if (!endpoint) {
    const [nearest] = Object.keys(app.endpoints).sort((a, b) => distance(name, a) - distance(name, b))
    throw new Failure(
      `${name}: the intake has no endpoint of this name; ${nearest === undefined ? 'it has none at all' : `the nearest is ${nearest}`}`,
    )
  }
  return code ? codeOf(endpoint) : JSON.stringify(outline(endpoint), null, 2)
}
