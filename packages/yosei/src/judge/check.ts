/** The stage that checks: the shape of every part, then the rules; all errors told together. */

import { type BodyNode, type EndpointNode, rootOf } from '../declare/endpoint.js'
import type { Placed } from '../declare/place.js'
import type { RuleJudge } from '../engine/coded-rules.js'
import { ruleEngine } from '../engine/judging.js'
import { interpretParts, type Reader } from '../engine/parts.js'
import { childrenOf } from '../kinds/brought.js'
import type { Node } from '../kinds/kind.js'
import { inDeclaredOrder, nodesAt } from '../kinds/locate.js'
import { Place } from '../kinds/phrase.js'
import { addFault, type Fault, masked, type Run } from '../kinds/run.js'
import { anywhere } from '../kinds/shape.js'
import { isTextBody } from '../read/media.js'
import { Unreadable } from '../read/unreadable.js'
import { type Path, tellAddress } from '../terms/address.js'
import type { House } from '../terms/hooks.js'
import { type Part, type Parts, partNames } from '../terms/parts.js'
import type { AcceptedVerdict } from '../terms/verdict.js'
import { firstOf } from './statuses.js'
import { type Rejection, reject, rejectFailed } from './verdict.js'
import { type Asker, keepBody, withWho } from './who.js'

/** The code that reads an endpoint with one of its bodies, and judges its rules. */
type Engine = (
  endpoint: EndpointNode,
  body: BodyNode | undefined,
  only: readonly Part[] | undefined,
) => { readonly placed: Placed; readonly read: Reader; readonly judge: RuleJudge | undefined }

export interface CheckInput {
  /** What the verdict calls the endpoint. */
  readonly name: string
  readonly endpoint: EndpointNode
  /** The declaration of the body for the media type that was sent. */
  readonly body: BodyNode | undefined
  readonly sent: Parts
  /** The caller, if it is known. */
  readonly asker?: Asker | undefined
  /** All header fields that were sent, also those that are not declared. */
  readonly headers: readonly (readonly [name: string, value: string])[]
  /** The parts that are judged: all of them by default. */
  readonly only: readonly Part[] | undefined
  /** Reads all parts and judges their rules fast, if code may be made. */
  readonly engine: Engine | undefined
  /** Whether the body is read as text, as a form gives it. */
  readonly form: boolean | undefined
  /** Whether all that was sent was parsed here: it is plain data then. */
  readonly parsed: boolean
  /** What the client would rather read. */
  readonly accept: string | undefined
  /** Whether what was found wrong was wrong before, so that this request is not to blame. */
  readonly isSettled?: ((path: Path, code: string) => boolean) | undefined
  /** The most errors that are listed. */
  readonly errors: number
  /** The most bytes of an answer. */
  readonly room: number
  /** Takes faults in elements that are judged each alone out of the run; a page judges a form as a whole. */
  readonly takePieces?: ((matter: CheckInput, input: Parts, run: Run) => void) | undefined
  /** Whose words and envelope a rejection has. */
  readonly house: House | undefined
}

/** Judges parts that are split already. Where a function of the declaration throws, or we do, that is the verdict. */
export function check(matter: CheckInput, run: Run): AcceptedVerdict<string, unknown> | Rejection {
  try {
    return judgeParts(matter, run)
  } catch (cause) {
    return rejectFailed(matter.name, cause, {
      stage: run.stage,
      trace: run.trace,
      house: matter.house,
      statuses: matter.endpoint.statuses,
    })
  }
}

function judgeParts(matter: CheckInput, run: Run): AcceptedVerdict<string, unknown> | Rejection {
  const { name, endpoint, sent, only } = matter
  const hasBody = (!only || only.includes('body')) && takesBody(matter, run)
  if (!matter.parsed) run.met = new Map()
  if (endpoint.who) run.who = matter.asker?.who
  const code = run.trace || run.kept ? undefined : matter.engine?.(endpoint, matter.body, only)
  const input =
    code && !(matter.form || run.rounded || run.sources || run.lines?.isBroken)
      ? code.read(sent.path, sent.query, sent.header, sent.cookie, sent.body, run, hasBody, matter.parsed)
      : interpretParts(endpoint, matter.body, sent, run, hasBody, only, matter.form)
  const { isSettled } = matter
  if (isSettled) run.faults = run.faults.filter(({ path, code }) => !isSettled(path, code))
  if (run.faults.length > 0) run.faults = run.faults.map((fault) => hint(fault, matter))
  if (run.trace) tellSteps(run)
  const rules = ruleEngine()
  const placed = code?.placed ?? rules?.placedOn(endpoint, matter.body, only)
  run.stage = 'rules'
  if (rules && placed && (placed.rules.length > 0 || placed.unplaced.length > 0)) {
    const seen = withWho(endpoint, input, matter.asker)
    // Spelt out: a spread would be a third of what the rules of a small request take.
    const judging = {
      placed,
      root: placed.root,
      sent: withWho(endpoint, sent, matter.asker),
      input: seen,
      accept: matter.accept,
      isKnown: matter.asker !== undefined,
      isTextBody: matter.form === true || isTextBody(matter.body),
      isLost: run.beyond > 0,
      run,
      found: run.faults.length,
      barred: undefined,
      interpreter: undefined,
    }
    const judge = (matter.form ? undefined : code?.judge) ?? rules.runRules
    judge(judging)
    if (run.faults.length > judging.found && hasOwnWords(placed.root, childrenOf))
      run.faults = run.faults.map((fault, at) => (at < judging.found ? fault : withOwnWords(fault, placed.root)))
    keepBody(input, seen)
    if (run.trace) hideReadings(run)
  }
  if (hasBody) matter.takePieces?.(matter, input, run)
  const { faults, beyond, trace } = run
  if (faults.length === 0)
    return trace
      ? { outcome: 'accepted', endpoint: name, input, trace }
      : { outcome: 'accepted', endpoint: name, input }
  const inOrder = cameInOrder(faults) ? faults : inDeclaredOrder(rootOf(endpoint, matter.body), faults, sent)
  const { lines } = run
  const ordered = lines ? inOrder.map((fault) => inLine(fault, lines)) : inOrder
  const { status, stage } = firstOf(ordered, endpoint.statuses)
  return reject(name, ordered, {
    status,
    stage,
    beyond,
    trace,
    most: matter.errors,
    house: matter.house,
    room: matter.room,
  })
}

/** What is the same as a secret is shown as the secret is. */
function hideReadings({ faults, trace }: Run): void {
  const hidden = new Set(faults.flatMap(({ hides = [] }) => hides).map(tellAddress))
  if (!trace || hidden.size === 0) return
  for (const [at, reading] of trace.readings.entries())
    if (hidden.has(reading.address)) trace.readings[at] = { ...reading, sent: masked, read: masked }
}

const hasOwnWords = anywhere(({ messages }) => typeof messages === 'object')
/** An error of a rule in the words that its field has for the code, unless the rule has its own. */
export function withOwnWords(fault: Fault, root: Node): Fault {
  if (fault.messages !== undefined || fault.node !== undefined) return fault
  const { messages } =
    nodesAt(root, fault.path).find(
      ({ messages }) => typeof messages === 'object' && Object.hasOwn(messages, fault.code),
    ) ?? {}
  return messages === undefined ? fault : { ...fault, messages }
}

/** A fault with where it is in a body of lines. */
const inLine = (fault: Fault, lines: NonNullable<Run['lines']>): Fault =>
  fault.path[0] === 'body' && fault.code !== 'bad_syntax'
    ? { ...fault, place: lines.placeOf(fault.path.slice(1)) }
    : fault

/** What is reported while parts are read comes as they are declared, but for what is only found at the end of a value. */
const cameInOrder = (faults: readonly Fault[]) =>
  faults.every(({ stage, code }) => stage === 'shape' && code !== 'unlisted' && code !== 'repeated')

function tellSteps({ trace, faults }: Run): void {
  for (const stage of ['read', 'shape'] as const)
    trace?.steps.push({ stage, outcome: faults.some((fault) => fault.stage === stage) ? 'failed' : 'passed' })
}

/** Whether there is a body to read; if there is none or too many, that is reported. */
function takesBody({ sent, body }: CheckInput, run: Run): boolean {
  const wrong = bodyFaults(sent.body, body)
  for (const { below = [], ...fault } of wrong) addFault(run, { path: ['body', ...below], stage: 'read', ...fault })
  return body !== undefined && wrong.length === 0
}

function bodyFaults(sent: unknown, body: BodyNode | undefined): Unreadable['faults'] {
  if (sent instanceof Unreadable) return sent.faults
  if (!body) return sent === undefined ? none : [{ code: 'unlisted', variant: 'body' }]
  return sent === undefined && body.node.need === 'required' ? [{ code: 'missing' }] : none
}
const none: Unreadable['faults'] = []

/** A missing field whose name came in another part says so, and a name that belongs to another part. */
function hint(fault: Fault, { endpoint, sent, headers }: CheckInput): Fault {
  const { path, code } = fault
  const [part, name] = path
  if ((code !== 'unlisted' && code !== 'missing') || typeof name !== 'string' || path.length > 2) return fault
  if (code === 'unlisted') {
    const home = partNames.find(
      (other) =>
        other !== part &&
        other !== 'body' &&
        Object.hasOwn(endpoint[other].fields, other === 'header' ? name.toLowerCase() : name),
    )
    return home
      ? {
          ...fault,
          variant: 'belongs',
          about: { home: new Place([home, home === 'header' ? name.toLowerCase() : name]) },
        }
      : fault
  }
  const elsewhere = partNames.find(
    (other) =>
      other !== part && !(other !== 'body' && Object.hasOwn(endpoint[other].fields, name)) && isSent(sent[other], name),
  )
  const found =
    elsewhere ?? (part !== 'header' && headers.some(([field]) => field === name.toLowerCase()) ? 'header' : undefined)
  return found ? { ...fault, variant: 'elsewhere', about: { elsewhere: new Place([found, name]) } } : fault
}

const isSent = (values: unknown, name: string) =>
  typeof values === 'object' && values !== null && !Array.isArray(values) && Object.hasOwn(values, name)
