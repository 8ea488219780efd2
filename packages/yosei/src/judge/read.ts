/** The stage that reads: every part as it was sent, by name. */

import { addFault, type Run } from '../kinds/run.js'
import { cookieValues } from '../read/cookies.js'
import { Inexact } from '../read/syntax.js'
import { headerValues, pairValues, pathValues } from '../read/values.js'
import { formatAddress } from '../terms/address.js'
import type { Parts } from '../terms/parts.js'
import type { Opened } from './open.js'
import type { Received, Unreceived } from './receive.js'

export function partsOf(
  { message, destination, segments, query }: Opened,
  received: Received | Unreceived,
  run: Run,
): Parts {
  const { endpoint } = destination
  const { headers } = message
  const body = 'value' in received ? received.value : undefined
  if (body instanceof Inexact) run.inexact = new Set(body.places.map((path) => formatAddress(['body', ...path])))
  const tellMalformed = () => addFault(run, { path: ['query'], stage: 'read', code: 'bad_encoding' })
  return {
    path: pathValues(destination.parameters, segments),
    query: query === undefined ? undefined : pairValues(query, endpoint.query, tellMalformed),
    header: headerValues(headers, destination.headers),
    cookie: cookieValues(headers, endpoint.cookie),
    body: body instanceof Inexact ? body.value : body,
  }
}
