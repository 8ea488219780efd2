/** The form that the client would rather read: RFC 9110, section 12.5. */
import { weightOf } from '../grammar/accept.js'

export const forms = ['application/problem+json', 'text/html', 'text/plain'] as const
export type Form = (typeof forms)[number]

/** The form that the client likes best; the problem document if it has no wish, or an odd one. */
export function chooseForm(accept: string | undefined): Form {
  if (accept === undefined || accept === '*/*' || accept === 'application/json') return forms[0]
  // A problem document is JSON: who takes JSON takes it.
  const json = Math.max(weightOf(forms[0], accept), weightOf('application/json', accept))
  const weights = [json, weightOf(forms[1], accept), weightOf(forms[2], accept)]
  const best = Math.max(...weights)
  return best === 0 ? forms[0] : (forms[weights.indexOf(best)] as Form)
}
