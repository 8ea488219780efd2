/** Verdicts on parts that are split already. */
import { type EndpointNode, endpointNode } from '../declare/endpoint.js'
import { type IntakeNode, intakeOf } from '../declare/intake.js'
import { startRun } from '../engine/interpret.js'
import { valueAt } from '../terms/address.js'
import type { Endpoint } from '../terms/endpoint.js'
import type { Catalogue, Catalogues } from '../terms/hooks.js'
import type { Part } from '../terms/parts.js'
import { settleLimits } from '../terms/policy.js'
import type { AcceptedVerdict, EndpointVerdict, PendingVerdict } from '../terms/verdict.js'
import { brought } from '../words/brought.js'
import { catalogueFor } from '../words/catalogue.js'
import { chooseLanguage } from '../words/choose.js'
import { type CheckInput, check } from './check.js'
import { wrapPieces } from './pieces.js'
import { type Rejection, roomFor, verdictOf } from './verdict.js'

/** Options of `judgeParts`. */
export interface JudgePartsOptions {
  /** The clock of the judgement. By default, it is now. */
  now?: Date | undefined
  /** Whether the verdict shows how each value was read, and how each stage and rule went. */
  trace?: boolean | undefined
  /** Whether the body is text as well, as a form gives it. */
  text?: boolean | undefined
  /** The language of the messages, as a tag or as an `Accept-Language` field has it: English by default. */
  language?: string | undefined
  /** Judge these parts alone, and the rules that read nothing else. */
  only?: readonly Part[] | undefined
}

/** The words of a language, of those that there are beside an intake's own. */
export type WordsFor = (language: string | undefined, own: Catalogues | undefined) => Catalogue

/** Why it failed is not for the caller. */
type TellFailure = (app: IntakeNode | undefined, rejection: Rejection) => void

/** In a page there is English, what the page brings, and what the intake has. */
export const ownWords: WordsFor = (language, own) =>
  catalogueFor(chooseLanguage(language, ['en', ...Object.keys({ ...brought, ...own })]), own, brought)

/** Judges parts by an engine; interpreted if there is none: see `judgeParts`. */
export function judgePartsBy<E extends Endpoint>(
  engine: CheckInput['engine'],
  endpoint: E,
  parts: { readonly [P in Part]?: unknown },
  options: JudgePartsOptions = {},
  isSettled?: CheckInput['isSettled'],
  words: WordsFor = ownWords,
  reportFailure: TellFailure = (_, { cause }) => console.error(cause),
  taking?: (words: () => Catalogue) => CheckInput['takePieces'],
): EndpointVerdict<string, E> {
  const node = endpointNode(endpoint)
  const app = intakeOf(node)
  const catalogue = () => words(options.language, app?.languages)
  const verdict = checkParts(engine, node, parts, options, isSettled, taking?.(catalogue))
  const unasked = Object.keys(node.lookups)
  if (verdict.outcome === 'rejected') {
    if (verdict.cause !== undefined) reportFailure(app, verdict)
    return verdictOf(verdict, catalogue())
  }
  return (unasked.length === 0 ? verdict : pending(verdict, unasked)) as EndpointVerdict<string, E>
}

export function checkParts(
  engine: CheckInput['engine'],
  node: EndpointNode,
  parts: { readonly [P in Part]?: unknown },
  { text, only, now, trace }: JudgePartsOptions,
  isSettled?: CheckInput['isSettled'],
  takePieces: CheckInput['takePieces'] = wrapPieces,
): AcceptedVerdict<string, unknown> | Rejection {
  const { errors, depth } = settleLimits(node.limits)
  const run = startRun(now?.getTime(), trace)
  run.deepest = depth
  const input = {
    name: `${node.method} ${node.template}`,
    endpoint: node,
    body: node.bodies[0],
    sent: parts,
    headers: [],
    only,
    form: text,
    engine,
    parsed: false,
    accept: valueAt(parts, ['header', 'accept']) as string | undefined,
    errors,
    room: roomFor(0),
    house: intakeOf(node),
    takePieces,
    isSettled,
  }
  return check(input, run)
}

export const pending = (
  { endpoint, input, trace }: AcceptedVerdict<string, unknown>,
  unasked: readonly string[],
): PendingVerdict<string, unknown> => {
  const verdict = { outcome: 'pending' as const, endpoint, input, unasked }
  return trace ? { ...verdict, trace } : verdict
}
