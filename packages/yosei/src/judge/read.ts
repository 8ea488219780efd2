/** The stage that reads: every part as it was sent, by name. */

import { addFault, type Run } from '../kinds/run.js'
import { cookieValues } from '../read/cookies.js'
import type { Rounded } from '../read/json.js'
import { Lines } from '../read/lines.js'
import { Inexact } from '../read/unreadable.js'
import { headerValues, pairValues, pathValues } from '../read/values.js'
import { formatAddress, type Path } from '../terms/address.js'
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
  const body = bodyOf('value' in received ? received.value : undefined, run)
  const places = 'json' in received ? received.json : undefined
  const source = endpoint.coerce ? 'coerced' : 'json'
  if (places && places.length > 0) run.sources = new Map(places.map((path) => [addressIn(path), source]))
  const reportMalformed = () => addFault(run, { path: ['query'], stage: 'read', code: 'bad_encoding' })
  return {
    path: pathValues(destination.parameters, segments),
    query: query === undefined ? undefined : pairValues(query, endpoint.query, reportMalformed),
    header: headerValues(headers, destination.headers),
    cookie: cookieValues(headers, endpoint.cookie, endpoint.asSent),
    body,
  }
}

const addressIn = (path: Path) => formatAddress(['body', ...path])

const writtenIn = (rounded: readonly Rounded[]) =>
  new Map(rounded.map(({ path, written }) => [addressIn(path), written]))

/** The values of a body; what is to be reported besides of how they were sent is kept by the run. */
function bodyOf(body: unknown, run: Run): unknown {
  if (body instanceof Inexact) {
    run.rounded = writtenIn(body.rounded)
    return body.value
  }
  if (!(body instanceof Lines)) return body
  run.lines = body
  if (body.rounded.length > 0) run.rounded = writtenIn(body.rounded)
  return body.values
}
