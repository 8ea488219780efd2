/** The caller, to those that judge: what an endpoint declares of it, and what it asks of it before the body comes. */

import type { EndpointNode } from '../declare/endpoint.js'
import { rootOf } from '../declare/endpoint.js'
import { holdAsIs, startRun } from '../engine/interpret.js'
import { interpretParts } from '../engine/parts.js'
import { whoHolds } from '../engine/reader.js'
import { fitting } from '../engine/rules.js'
import type { AnyCondition } from '../rules/condition.js'
import { addressesIn, holdingOf } from '../rules/conditions.js'
import { everywhere, unconditional } from '../rules/input.js'
import { parseAddress } from '../terms/address.js'
import { put } from '../terms/own.js'
import { type Part, type Parts, partNames } from '../terms/parts.js'
import type { Opened } from './open.js'
import { partsOf } from './read.js'

/** The caller, if it is known. */
export interface Asker {
  readonly who: unknown
}

/** What rules, lookups and turns see: the input, with the caller where the endpoint declares that. */
export function withWho(endpoint: EndpointNode, parts: Parts, asker: Asker | undefined): Parts {
  if (!endpoint.who || !asker) return parts
  // Spelt out: a spread takes longer than most rules.
  const { path, query, header, cookie, body } = parts
  return { path, query, header, cookie, body, who: asker.who }
}

/** A body that was filled as a whole is the input's too. */
export function keepBody(input: Parts, seen: Parts): void {
  if (seen !== input && seen.body !== input.body) put(input as { [part: string]: unknown }, 'body', seen.body)
}

/** @throws TypeError if it is not what the endpoint declares: that is a bug of the service. */
export function checkWho({ destination, run }: Opened, { who }: Asker): void {
  const { endpoint } = destination
  if (endpoint.who && !whoHolds(endpoint, who, run)) holdAsIs(endpoint.who, ['who'], who, run)
}

const nothing: Parts = {}
const partsRead = new WeakMap<AnyCondition, readonly Exclude<Part, 'body'>[]>()
/** The parts of the head that a condition reads: most look at the caller alone. */
function partsReadBy(may: AnyCondition): readonly Exclude<Part, 'body'>[] {
  const known = partsRead.get(may)
  if (known) return known
  const names = new Set(addressesIn(may).map((address) => parseAddress(address)?.[0]))
  const parts = partNames.filter((part): part is Exclude<Part, 'body'> => part !== 'body' && names.has(part))
  partsRead.set(may, parts)
  return parts
}

/**
 * Whether `may` holds. What it reads of the head and is wrong is reported later, with all else; no request is turned away for
 * it here.
 */
export function mayEnter(opened: Opened, asker: Asker): boolean {
  const { destination, head } = opened
  const { endpoint } = destination
  const { may } = endpoint
  if (!may) return true
  const parts = partsReadBy(may)
  const run = startRun(opened.run.now)
  const sent = parts.length > 0 ? partsOf(opened, { value: undefined }, run) : nothing
  const read = parts.length > 0 ? interpretParts(endpoint, undefined, sent, run, false, parts) : nothing
  const input = withWho(endpoint, read, asker)
  if (run.faults.length > 0) return true
  const matter = {
    root: rootOf(endpoint, undefined),
    sent: withWho(endpoint, sent, asker),
    input,
    accept: head.accept,
    scope: everywhere,
    hold: (_: unknown, value: unknown) => value,
    fit: fitting(run),
    isTextBody: false,
    ...unconditional,
    known: new Map(),
    run,
  }
  return holdingOf(may, matter)([])
}
