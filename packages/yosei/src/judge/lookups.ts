/** The stage that asks the outside world: side by side, in the order that `follows` asks. */

import { rootOf } from '../declare/endpoint.js'
import type { LookupNode } from '../declare/lookups.js'
import { hold, startRun } from '../engine/interpret.js'
import { fitting, runRules } from '../engine/rules.js'
import type { Node } from '../kinds/kind.js'
import { inDeclaredOrder, nodesAt, tellsSecret } from '../kinds/locate.js'
import { addObserved, clock, type Fault, masked, observedIn, type Run, withoutText } from '../kinds/run.js'
import { sameAs } from '../kinds/same.js'
import { isTextBody } from '../read/media.js'
import { ruleOf } from '../rules/brought.js'
import { holdingOf } from '../rules/conditions.js'
import { beside, everywhere, pathOf, type RuleInput, unconditional } from '../rules/input.js'
import { placeRule, ruleMaker } from '../rules/rules.js'
import { unfolded } from '../rules/while.js'
import { checkRules, checkRulesOfPieces } from '../sound/endpoint.js'
import { type Path, parseAddress, valueAt } from '../terms/address.js'
import type { Refusal } from '../terms/hooks.js'
import { mistake } from '../terms/mistake.js'
import { put } from '../terms/own.js'
import type { Parts } from '../terms/parts.js'
import { type Statuses, statusFor } from '../terms/statuses.js'
import { readSpan } from '../terms/units.js'
import type { Step } from '../terms/verdict.js'
import { answersOf, type Batch, batchOf, Finds } from './batch-lookup.js'
import { withOwnWords } from './check.js'
import type { Pieces } from './pieces.js'
import { blamedFor, headersIn, type Refusing, refusalsIn, refusedAt } from './refuse.js'
import { askWithin, type LateSignal } from './signal.js'
import type { AcceptedJudgement } from './stages.js'
import { firstOf, retryAfter } from './statuses.js'
import { type Rejection, reject, thrown } from './verdict.js'
import { keepBody, withWho } from './who.js'

export interface LookupInput {
  readonly services: unknown
  readonly who: unknown
  readonly signal: LateSignal
}
export interface Answered {
  readonly found: { readonly [name: string]: unknown }
  readonly rejection?: Rejection
}

type Answer =
  /** Of a batch also what is refused of elements that are judged each alone. */
  | { readonly outcome: 'found'; readonly value: unknown; readonly refusals?: readonly Refusing[] }
  | { readonly outcome: 'not run' }
  | { readonly outcome: 'refused'; readonly refusals: readonly Refusing[] }
  | { readonly outcome: 'failed'; readonly cause: unknown }

/** What a lookup that has no refusal of its own rejects with; the message is a text of the catalogues. */
export const usual = { failure: 'notFound', code: 'not_found', message: 'not_found' } as const
export const usualWhenAbsent = { failure: 'alreadyThere', code: 'already_there', message: 'already_there' } as const
const none: readonly Answer[] = []
const notRun: Answer = { outcome: 'not run' }

/** Asks every lookup that can be asked. What is found fills the fields that say so. */
export async function askLookups(judged: AcceptedJudgement, asking: LookupInput): Promise<Answered> {
  const { opened, verdict, sent } = judged
  const { endpoint, limits } = opened.destination
  const pieces = opened.run.pieces as Pieces | undefined
  const own = verdict.input as Parts
  const input = withWho(endpoint, pieces ? pieces.seen(own) : own, { who: judged.who })
  const root = rootOf(endpoint, opened.body)
  const holding = (path: Path, value: unknown) => hold(root, path, value, opened.run)
  const matter: RuleInput = {
    root,
    sent: withWho(endpoint, sent, { who: judged.who }),
    input,
    accept: opened.head.accept,
    scope: everywhere,
    hold: holding,
    fit: fitting(opened.run),
    isTextBody: isTextBody(opened.body),
    ...unconditional,
    known: new Map(),
    run: opened.run,
  }
  const answers = new Map<LookupNode, Promise<Answer>>()
  const names = Object.keys(endpoint.lookups)
  const lookups = Object.values(endpoint.lookups)
  const found: { [name: string]: unknown } = {}
  /** Equal questions are asked once. */
  const asked = new Map<LookupNode['ask'], Map<string, Promise<Answer>>>()
  /** What each was asked, what came and how long that took: for the trace. */
  const told = new Map<LookupNode, Pick<Step, 'asked' | 'found' | 'took'>>()

  const askSame = (lookup: LookupNode, values: readonly unknown[], ask: () => Promise<Answer>): Promise<Answer> => {
    const same = asked.get(lookup.ask) ?? new Map<string, Promise<Answer>>()
    asked.set(lookup.ask, same)
    // What it follows is part of the question.
    const key = JSON.stringify([
      lookup.reads.map((address, at) => sameAs(nodesAt(root, pathOf(address, everywhere)))(values[at])),
      Object.entries(lookup.follows ?? {}).map(([own, one]) => [own, lookups.indexOf(one)]),
    ])
    const answer = same.get(key) ?? ask()
    same.set(key, answer)
    return answer
  }
  const answerOf = (lookup: LookupNode): Promise<Answer> => {
    const known = answers.get(lookup) ?? answer(lookup)
    answers.set(lookup, known)
    return known
  }
  const answer = async (lookup: LookupNode): Promise<Answer> => {
    const name = names.find((one) => endpoint.lookups[one] === lookup) as string
    const follows = Object.entries(lookup.follows ?? {})
    // All that follow nothing look at the input before anything is filled in.
    const before = follows.length === 0 ? none : await Promise.all(follows.map(([, one]) => answerOf(one)))
    if (before.some(({ outcome }) => outcome === 'refused' || outcome === 'failed')) return notRun
    // Of what was not found there are no rules.
    if (lookup.givesRules && before.some(({ outcome }) => outcome !== 'found')) return notRun
    const known = () => Object.fromEntries(follows.map(([own], index) => [own, valueIn(before[index] as Answer)]))
    if (lookup.batch) return answerBatch(lookup, name, known())
    if (lookup.when && !holdingOf(lookup.when, matter)([])) return notRun
    const values = lookup.reads.map((address) => valueAt(input, pathOf(address, everywhere)))
    if (values.includes(undefined)) return notRun
    const since = performance.now()
    const ask = () => askOne(name, lookup, values, asking, known(), opened.run, isByASecret(lookup, root))
    const answered = await (lookups.some((one) => one !== lookup && one.ask === lookup.ask)
      ? askSame(lookup, values, ask)
      : ask())
    if (lookup.givesRules) return answered.outcome === 'found' ? judgeLate(answered.value) : answered
    const got = judgeAnswer(answered, lookup, endpoint.statuses)
    if (opened.run.trace) told.set(lookup, toldOf(lookup, root, values, answered, performance.now() - since))
    if (got.outcome === 'found') {
      put(found, name, got.value)
      if (lookup.fill !== undefined) fill(matter, parseAddress(lookup.fill) as Path, got.value)
    }
    return got
  }

  /** Judges the rules that were made of what lookups found. */
  const judgeLate = (given: unknown): Answer => {
    try {
      const faults = lateFaults(given, judged, matter)
      const { status } = firstOf(faults, endpoint.statuses)
      const refusals = faults.map((fault) => ({
        status: status as Refusal['status'],
        code: fault.code,
        message: '',
        fault,
      }))
      return refusals.length > 0 ? { outcome: 'refused', refusals } : { outcome: 'found', value: undefined }
    } catch (cause) {
      return { outcome: 'failed', cause: thrown(cause) }
    }
  }

  const answerBatch = async (lookup: LookupNode, name: string, known: object): Promise<Answer> => {
    const batch = batchOf(lookup, matter)
    if (!batch) return notRun
    const since = performance.now()
    const isEmpty = batch.keys.length === 0
    const answer: Answer = isEmpty
      ? { outcome: 'found', value: [] }
      : inOrder(batch, await askOne(name, lookup, batch.values, asking, known, opened.run, isByASecret(lookup, root)))
    if (opened.run.trace && !isEmpty)
      told.set(lookup, toldOf(lookup, root, batch.values, answer, performance.now() - since))
    if (answer.outcome !== 'found') return answer
    const answers = answer.value as readonly unknown[]
    const refused: Refusing[] = []
    for (const [at, key] of batch.keys.entries()) {
      if (isAsWanted(answers[at], lookup)) continue
      for (const place of batch.placesOf(key)) refused.push(placed(refusalOf(lookup, endpoint.statuses), place))
    }
    // Elements that are judged each alone take no others with them.
    if (refused.length > 0 && !pieces) return { outcome: 'refused', refusals: refused }
    const value = lookup.absent ? undefined : new Finds(batch, answers)
    put(found, name, value)
    return { outcome: 'found', value, refusals: refused }
  }
  /** The answers to a batch, in the order of its questions. */
  const inOrder = (batch: Batch, answer: Answer): Answer => {
    if (answer.outcome !== 'found') return answer
    try {
      return { outcome: 'found', value: answersOf(batch, answer.value) }
    } catch (cause) {
      return { outcome: 'failed', cause }
    }
  }
  /** A refusal at an element: at the place that it names there, or at what was asked about. */
  const placed = (refusing: Refusing, place: Path): Refusing => {
    const path = refusing.at === undefined ? place : beside(parseAddress(refusing.at) ?? [], place)
    return { ...refusing, path: blamedFor(path) }
  }

  const all = await Promise.all(lookups.map(answerOf))
  keepBody(own, input)
  pieces?.putInto(own)
  const faults: Fault[] = []
  let first: { readonly status: number; readonly headers: { readonly [name: string]: string } } | undefined
  let cause: unknown
  for (const [index, one] of all.entries()) {
    const { reads, mode } = lookups[index] as LookupNode
    const isObserved = mode === 'observe'
    if (one.outcome === 'failed') {
      if (isObserved) {
        observedIn(opened.run).causes.push(one.cause)
        continue
      }
      cause ??= one.cause
      first ??= { status: statusFor('unavailable', endpoint.statuses), headers: retryAfter }
    } else if (one.outcome !== 'not run') {
      for (const refusing of one.refusals ?? []) {
        const fault = faultOf(refusing, reads[0] ?? 'path', input)
        if (isObserved) addObserved(opened.run, { ...fault, status: refusing.status })
        else {
          first ??= { status: refusing.status, headers: headersIn(refusing) }
          faults.push(fault)
        }
      }
    }
  }
  for (const [index, name] of names.entries())
    opened.run.trace?.steps.push({
      stage: 'lookups',
      name,
      outcome: stepOf(all[index] as Answer, lookups[index]?.mode),
      ...told.get(lookups[index] as LookupNode),
    })
  const others = pieces && cause === undefined ? pieces.reject(faults) : faults
  if (!first || (pieces?.isAnyAccepted && cause === undefined && others.length === 0)) return { found }
  // Report all errors at once, those of elements too.
  const reported = pieces ? [...(cause === undefined ? others : faults), ...pieces.faults] : faults
  const rejection = reject(opened.destination.name, inDeclaredOrder(matter.root, reported, sent), {
    ...first,
    stage: 'lookups',
    failure: 'unavailable',
    most: limits.errors,
    trace: opened.run.trace,
    house: opened.app,
    room: opened.room,
    cause,
  })
  return { found, rejection }
}

/**
 * What rules find that were made of what lookups found. They are checked as declared ones are: a misspelt address would
 * let everything by.
 *
 * @throws DeclarationError if they make no sense, and what a function of theirs throws.
 */
function lateFaults(given: unknown, { opened, who }: AcceptedJudgement, matter: RuleInput): readonly Fault[] {
  const { root, sent, input, accept, isTextBody } = matter
  const { endpoint } = opened.destination
  if (!Array.isArray(given) || !given.every((one) => typeof (one as { rule?: unknown } | null)?.rule === 'string'))
    mistake('after', 'its function gave no list of rules', 'Return [on.openAt(…)], or [] if there are none')
  const rules = unfolded(given).map((rule) => placeRule(rule, root, [], []))
  const derived = rules.find(({ rule }) => ruleOf(rule).derives)
  if (derived)
    mistake('after', `${derived.rule.rule} is no rule that can be judged`, 'Give it to rules of the endpoint')
  checkRules(endpoint, rules)
  checkRulesOfPieces(endpoint, opened.body, rules)
  const run: Run = { ...startRun(clock(opened.run)), trace: opened.run.trace, who }
  runRules({
    placed: { root, rules, unplaced: [] },
    root,
    sent,
    input,
    accept,
    isKnown: true,
    isTextBody,
    isLost: false,
    run,
    found: 0,
    barred: undefined,
    interpreter: undefined,
  })
  for (const fault of run.observed?.faults ?? []) addObserved(opened.run, fault)
  return run.faults.map((fault) => withOwnWords(fault, root))
}

/** The error of a refusal: where it says, or at what was asked about. One of a verdict is taken as it is. */
function faultOf({ code, message, at, fault, path: exact }: Refusing, read: string, input: Parts): Fault {
  if (fault) return { ...fault, stage: 'lookups' }
  return { path: exact ?? refusedAt(at ?? read, input), stage: 'lookups', code, messages: message }
}

/** Whether a lookup reads a secret, or follows one that does: what it finds may tell the secret. */
function isByASecret(lookup: LookupNode, root: Node): boolean {
  const known = bySecrets.get(root) ?? new Map<LookupNode, boolean>()
  bySecrets.set(root, known)
  let is = known.get(lookup)
  if (is === undefined) {
    const { reads, follows = {} } = lookup
    is =
      reads.some((address) => tellsSecret(root, pathOf(address, everywhere))) ||
      Object.values(follows).some((one) => isByASecret(one, root))
    known.set(lookup, is)
  }
  return is
}
const bySecrets = /* @__PURE__ */ new WeakMap<Node, Map<LookupNode, boolean>>()

/** What a trace says of a question: nothing that is a secret, or was found by one. */
function toldOf(lookup: LookupNode, root: Node, values: readonly unknown[], answer: Answer, took: number) {
  const asked = values.map((value, index) =>
    tellsSecret(root, pathOf(lookup.reads[index] as string, everywhere)) ? masked : value,
  )
  const isTold = answer.outcome === 'found' && answer.value !== undefined && !isByASecret(lookup, root)
  return isTold ? { asked, found: answer.value, took } : { asked, took }
}

const valueIn = (answer: Answer) => (answer.outcome === 'found' ? answer.value : undefined)

function stepOf(answer: Answer, mode: LookupNode['mode']): Step['outcome'] {
  const { outcome } = answer
  if (outcome === 'not run') return outcome
  if (outcome === 'found' && !answer.refusals?.length) return 'passed'
  return mode === 'observe' ? 'observed' : 'failed'
}

/** What a lookup is reported besides: its signal is made when it looks at it. */
class Question {
  readonly #own: LateSignal
  readonly #run: Run
  constructor(
    own: LateSignal,
    run: Run,
    readonly who: unknown,
    readonly found: { readonly [name: string]: unknown },
  ) {
    this.#own = own
    this.#run = run
  }
  get now(): Date {
    return new Date(clock(this.#run))
  }
  get signal(): AbortSignal {
    return this.#own.signal
  }
}

/** What a question comes to, measured. */
async function askOne(...question: Parameters<typeof answerTo>): Promise<Answer> {
  const [name, , , , , run] = question
  const answered = run.telemetry?.lookup(name)
  const answer = await answerTo(...question)
  if (answer.outcome !== 'not run') answered?.(answer.outcome)
  return answer
}

/** What a question comes to: its value, or why there is none. */
async function answerTo(
  name: string,
  lookup: LookupNode,
  values: readonly unknown[],
  { services, who, signal: outer }: LookupInput,
  found: object,
  run: Run,
  readSecret: boolean,
): Promise<Answer> {
  try {
    const value = await askWithin([`the lookup ${name}`, readSpan(lookup.within ?? '2s')], outer, (own) =>
      lookup.givesRules
        ? lookup.ask(found as never, ruleMaker as never, {} as never)
        : lookup.ask(
            services as never,
            values as never,
            new Question(own, run, who, found as { readonly [name: string]: unknown }),
          ),
    )
    const refusals = refusalsIn(value)
    return refusals ? { outcome: 'refused', refusals } : { outcome: 'found', value }
  } catch (cause) {
    const refusals = refusalsIn(cause)
    if (refusals) return { outcome: 'refused', refusals }
    return { outcome: 'failed', cause: readSecret ? withoutText(cause, `the lookup ${name}`) : thrown(cause) }
  }
}

function judgeAnswer(answer: Answer, lookup: LookupNode, statuses: Statuses | undefined): Answer {
  if (answer.outcome !== 'found') return answer
  if (!isAsWanted(answer.value, lookup)) return { outcome: 'refused', refusals: [refusalOf(lookup, statuses)] }
  return lookup.absent ? { outcome: 'found', value: undefined } : answer
}
/** Whether something was found, or nothing if that is what is wanted. */
function isAsWanted(value: unknown, { absent, counts }: LookupNode): boolean {
  const isFound = value !== undefined && value !== null && value !== false && (counts?.(value as never) ?? true)
  return isFound !== (absent ?? false)
}
function refusalOf({ absent, refusal }: LookupNode, statuses: Statuses | undefined): Refusing {
  const { failure, ...words } = absent ? usualWhenAbsent : usual
  return refusal ?? { ...words, status: statusFor(failure, statuses, words.code) as Refusal['status'] }
}

/** Puts what was found where nothing was sent. */
function fill({ input, hold }: RuleInput, path: Path, value: unknown): void {
  const holder = valueAt(input, path.slice(0, -1))
  const name = path.at(-1) as string
  if (typeof holder === 'object' && holder !== null && valueAt(holder, [name]) === undefined)
    put(holder as { [name: string]: unknown }, name, hold(path, value))
}
