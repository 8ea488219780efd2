/** Makes code for an endpoint, and runs it. */
import { type BodyNode, type EndpointNode, endpointNode } from '../declare/endpoint.js'
import { type Placed, placedRules } from '../declare/place.js'
import { normalized } from '../grammar/normal.js'
import { compareDecimals, decimalOfNumber, isDecimalOf, isMultiple } from '../grammar/numbers.js'
import { readDay, readDuration, readInstant, readInstantIn, readTimeOfDay, type Unread } from '../grammar/times.js'
import { copyTree } from '../kinds/copy.js'
import { took } from '../kinds/either.js'
import type { Node } from '../kinds/kind.js'
import { type ListNode, mayRepeat, reportRepeated, valueUnder } from '../kinds/list.js'
import { holdsExactly } from '../kinds/number.js'
import { matches } from '../kinds/patterns.js'
import { callReader, identify, type ReadAsNode, settleRead } from '../kinds/read-as.js'
import { readNode, readOnce } from '../kinds/reading.js'
import { keepOrReport, type RecordNode } from '../kinds/record.js'
import { asking, clock, countFaults, type Run, reportSent, type Source } from '../kinds/run.js'
import type { ScalarKind } from '../kinds/scalar.js'
import { reportMisnamed, type TableNode } from '../kinds/table.js'
import { codePoints } from '../kinds/text.js'
import type { Code } from '../kinds/writer.js'
import { isPromise } from '../terms/at-once.js'
import type { Endpoint } from '../terms/endpoint.js'
import { merged } from '../terms/option-types.js'
import { isEmpty, put } from '../terms/own.js'
import type { Part } from '../terms/parts.js'
import { codedRules, type RuleJudge } from './coded-rules.js'
import { emitEndpoint, functionName } from './emit.js'
import { emitHolds, emitRules, ruleLibrary } from './emit-rules.js'
import { defaultOf } from './interpret.js'
import type { Reader } from './parts.js'

/**
 * The function that reads an endpoint's parts; `undefined` if a policy forbids code from text (CSP without
 * 'unsafe-eval').
 */
export function compileEndpoint(
  endpoint: EndpointNode,
  body: BodyNode | undefined,
  interpreted: Reader,
  only?: readonly Part[],
): Reader | undefined {
  return made(emitEndpoint(endpoint, body, made, only), functionName(endpoint), { interpreted }) as Reader | undefined
}

/** The function that judges an endpoint's rules; `undefined` if there are none, or code may not be made. */
export function compileRules(
  endpoint: EndpointNode,
  body: BodyNode | undefined,
  placed: Placed,
): RuleJudge | undefined {
  if (placed.rules.length === 0) return undefined
  const code = made(emitRules(endpoint, body, placed), `${functionName(endpoint)}-rules`) as RuleJudge | undefined
  return code && codedRules(code)
}

/** Says of the caller whether that is as declared; `undefined` if code cannot say it, or may not be made. */
export function compileWho(endpoint: EndpointNode): ((who: unknown, run: Run) => boolean) | undefined {
  const code = endpoint.who && emitHolds(endpoint.who)
  return code && (made(code, `${functionName(endpoint)}-who`) as ((who: unknown, run: Run) => boolean) | undefined)
}

/** What code makes; `undefined` if no code may be made from text. */
function made({ source, constants }: Code, name: string, more: { readonly [name: string]: unknown } = {}): unknown {
  const given = { ...called, ...more }
  const names = [...Object.keys(given), ...constants.map((_, index) => `k${index}`)]
  try {
    return new Function(...names, `"use strict"\n${source}\n//# sourceURL=yosei/${name}.js`)(
      ...Object.values(given),
      ...constants,
    )
  } catch {
    return undefined
  }
}

/**
 * The code that is made for an endpoint with the first of its bodies, and for its rules, for reading. `k0`, `k1`, … stand for its
 * declarations and patterns, which the code is given. The branches of a large union are not in it: each is compiled when a
 * request first comes to it.
 *
 * @example
 * console.log(codeOf(app.endpoints.bookSession))
 */
export function codeOf(endpoint: Endpoint): string {
  const node = endpointNode(endpoint)
  const [body] = node.bodies
  const placed = placedRules(node, body)
  const rules = placed.rules.length > 0 ? [emitRules(node, body, placed).source] : []
  return [emitEndpoint(node, body, made).source, ...rules].join('\n')
}

/** An enumerable name on the prototype of every object would count as sent. */
const isPolluted = () => !isEmpty(Object.prototype)

type Steps = (string | number)[]

function within<T>(run: Run, path: Steps, inside: () => T): T {
  const { length } = run.path
  for (const step of path) run.path.push(step)
  const result = inside()
  while (run.path.length > length) run.path.pop()
  return result
}

/** The interpreter, for a value that the code does not take. */
const slow = (run: Run, node: Node, value: unknown, source: Source, path: Steps): unknown =>
  within(run, path, () => readNode(node, value, source, run))

/** A scalar has nothing below it, so its path can stand as it is while something is reported of it. */
const wholePath = ({ path: outer }: Run, path: Steps): Steps => (outer.length === 0 ? path : [...outer, ...path])

/** The interpreter for a scalar, without what holds for every kind. */
function slowScalar(
  run: Run,
  read: ScalarKind<Node>['readScalar'],
  node: Node,
  value: unknown,
  source: Source,
  path: Steps,
): unknown {
  const isScalar =
    typeof value === 'string'
      ? value !== '' || source !== 'text'
      : typeof value === 'number' || typeof value === 'boolean'
  if (!isScalar) return slow(run, node, value, source, path)
  const outer = run.path
  run.path = wholePath(run, path)
  const made = read(node, value, run, source)
  run.path = outer
  return made
}

/** The same for an instant: where reading it has said why it cannot be read, that is reported, and it is not read again. */
function slowInstant(
  run: Run,
  read: ScalarKind<Node>['readScalar'],
  node: Node,
  value: unknown,
  source: Source,
  path: Steps,
  tried: unknown,
): unknown {
  if (typeof tried !== 'string' || source === 'text') return slowScalar(run, read, node, value, source, path)
  const outer = run.path
  run.path = wholePath(run, path)
  reportSent(run, node, tried as Unread, value)
  run.path = outer
  return undefined
}

/** The function of a declaration that holds itself. */
type Entered = (value: unknown, run: Run, parsed: boolean) => unknown

function entered(run: Run, reader: Entered, value: unknown, path: Steps, parsed: boolean): unknown {
  const { path: walk } = run
  const { length } = walk
  for (let i = 0; i < path.length; i++) walk.push(path[i] as string | number)
  run.depth++
  const read = reader(value, run, parsed)
  run.depth--
  while (walk.length > length) walk.pop()
  return read
}

/** What generated code calls by name. */
const library = {
  /** A path that never changes. */
  at: (...path: Steps): readonly (string | number)[] => Object.freeze(path),
  slow,
  slowInstant,
  slowScalar,
  unlistedIn: (run: Run, node: RecordNode, sent: object, read: object, implied: readonly string[], path: Steps) =>
    within(run, path, () => keepOrReport(node, sent, read, implied, run)),
  mayRepeat,
  valueUnder,
  repeatedIn: (run: Run, node: ListNode, read: readonly unknown[], path: Steps) =>
    within(run, path, () => reportRepeated(node, read, run)),
  misnamedIn: (run: Run, node: TableNode, name: string, path: Steps) =>
    within(run, path, () => reportMisnamed(node, name, run)),
  readerIn(run: Run, node: ReadAsNode, base: unknown, sent: unknown, path: Steps): unknown {
    const read = callReader(node, base, run)
    // Of what is no object nothing is to be said.
    if (read !== undefined && typeof read !== 'object' && typeof read !== 'function') return read
    if (read !== undefined && !run.trace && !isPromise(read)) {
      identify(node, read, base)
      return read
    }
    return within(run, path, () => settleRead(node, read, base, sent, run))
  },
  enter: (run: Run, reader: Entered, value: unknown, path: Steps, parsed: boolean): unknown =>
    run.met
      ? readOnce(run, reader, value, () => entered(run, reader, value, path, parsed))
      : entered(run, reader, value, path, parsed),
  countFaults,
  mark: (run: Run) => ({ faults: run.faults.length, beyond: run.beyond, suggestions: run.suggestions }),
  isClean: (run: Run, mark: { faults: number; beyond: number }) => {
    const clean = run.faults.length === mark.faults && run.beyond === mark.beyond
    if (!clean) run.faults = run.faults.slice(0, mark.faults)
    run.beyond = mark.beyond
    return clean
  },
  goBack: (run: Run, mark: { suggestions: number }) => {
    run.suggestions = mark.suggestions
  },
  isPolluted,
  took,
  asking,
  clock,
  codePoints,
  defaultOf,
  compareDecimals,
  decimalOfNumber,
  copyTree,
  isDecimalOf,
  holdsExactly,
  isMultiple,
  readDuration,
  matches,
  normalized,
  put,
  readDay,
  readInstant,
  readInstantIn,
  readTimeOfDay,
  plain: Object.prototype,
  prototypeOf: Object.getPrototypeOf,
}

/** All of it. */
export const called = /* @__PURE__ */ merged(library, ruleLibrary)
