/**
 * Requests made from a declaration: the smallest and the fullest that it accepts, one right at each limit, and for
 * everything that it demands one that breaks exactly that.
 */
import { judge } from '../adapt/judge.js'
import { type EndpointNode, endpointNode } from '../declare/endpoint.js'
import { declareIntake, type IntakeNode, intakeNode } from '../declare/intake.js'
import type { JudgeOptions } from '../judge/judge.js'
import { firstOf } from '../judge/statuses.js'
import type { Node } from '../kinds/kind.js'
import type { Message } from '../read/message.js'
import { ruleOf } from '../rules/rules.js'
import { EACH, EACH_NAME, formatAddress, type Path, parseAddress, tellAddress, valueAt } from '../terms/address.js'
import type { Endpoint, Intake } from '../terms/endpoint.js'
import { statusFor } from '../terms/statuses.js'
import type { Verdict } from '../terms/verdict.js'
import { sentIn } from './compose.js'
import { type Demand, gone, isReadOtherwise, takenBy } from './demands.js'
import { type Making, make, makingOf, readOnlyOf } from './make.js'
import { greatest, least, oneOf, type Pick as Picking, randomly, Unmakeable } from './pick.js'
import { type Place, pathIn, placesIn, replaced, type Step, toldPath } from './places.js'
import { demandsOnWho, demandsOnWhole } from './requests.js'
import { codesOf, presenceOf, type Spot, spotsOf, stepName } from './rules.js'
import { broken, changed, mended, turned } from './search.js'
import { type Came, type Outgoing, type Tree, Trial } from './trial.js'

interface About {
  /** The endpoint's name in its intake. */
  readonly endpoint: string
  /** What of the declaration it tries: `max 10`. */
  readonly what: string
}
interface Made extends About {
  readonly message: Message<string | null>
  /** Who is asking, where the intake asks that: as `judge` takes it, and as JSON. */
  readonly who?: { readonly read: unknown; readonly json: unknown }
  /** The clock by which it was made. */
  readonly now: Date
}
/** A request that must be accepted: what asks the outside may still be pending. */
export interface GoodProbe extends Made {
  readonly outcome: 'accepted'
}
/** A request that must be rejected, with this code at this address among its errors. */
export interface BadProbe extends Made {
  readonly outcome: 'rejected'
  readonly address: string
  readonly code: string
}
/** What could not be probed, and why. */
export interface Unprobed extends About {
  readonly outcome: 'unprobed'
  readonly address: string
  readonly code: string
  readonly because: string
}
export type Probe = GoodProbe | BadProbe | Unprobed

export interface ProbeOptions {
  /** The clock of the judgements; 2031-03-01T12:00:00Z by default, so that all is the same each time. */
  readonly now?: Date | undefined
  /** Probes of a seed are the same each time; 1 by default. */
  readonly seed?: number | undefined
  /** Probe this endpoint alone. */
  readonly endpoint?: string | undefined
  /** Accepted requests: where a function of the declaration says what it takes, their values are taken. */
  readonly samples?: readonly Message[] | undefined
}

const usualNow = new Date('2031-03-01T12:00:00Z')

/**
 * Probes of all endpoints of an intake, one after the other, as they are made. What cannot be probed is among them, with
 * the reason.
 *
 * @example
 * for (const probe of probesOf(app)) console.log(probe.endpoint, probe.what, probe.outcome)
 */
export function* probesOf(
  app: Intake,
  { now = usualNow, seed = 1, endpoint, samples = [] }: ProbeOptions = {},
): Generator<Probe> {
  const node = intakeNode(app)
  const sent = samples.flatMap((message) => {
    const found =
      typeof message.body === 'object' && message.body !== null
        ? undefined
        : sentIn(node, message as Message<string | null>)
    return found ? [found] : []
  })
  for (const [name, one] of Object.entries(node.endpoints))
    if (endpoint === undefined || endpoint === name) {
      const trees = sent.flatMap((known) => (known.endpoint === one ? [known.parts] : []))
      yield* probesOfEndpoint(node, name, one, now, seed, trees)
    }
}

function* probesOfEndpoint(
  app: IntakeNode,
  name: string,
  endpoint: EndpointNode,
  now: Date,
  seed: number,
  samples: readonly Tree[],
): Generator<Probe> {
  const bodies = endpoint.bodies.length === 0 ? [undefined] : endpoint.bodies
  for (const [index, body] of bodies.entries()) {
    const known = knownIn(endpoint, body, samples)
    const trial = new Trial(app, endpoint, body, { ...makingOf(now, seed), known: (node) => known.get(node) ?? [] })
    const many = bodies.length > 1 ? `${body?.mediaType}: ` : ''
    // The same declaration in another media type says nothing new.
    const isNew = bodies.findIndex((one) => one?.node === body?.node) === index
    for (const probe of new Prober(trial, name, now, samples).probes(index === 0, isNew))
      yield many === '' ? probe : { ...probe, what: many + probe.what }
  }
}

/** The values of samples where a function of the declaration, or a pattern, says what it takes. */
function knownIn(
  endpoint: EndpointNode,
  body: EndpointNode['bodies'][number] | undefined,
  samples: readonly Tree[],
): ReadonlyMap<Node, readonly unknown[]> {
  const known = new Map<Node, unknown[]>()
  if (samples.length === 0) return known
  for (const { node, way } of placesIn(endpoint, body)) {
    if (node.kind !== 'readAs' && !(node.kind === 'text' && node.pattern)) continue
    const values = samples.map((tree) => valueAt(tree, pathIn(way, tree))).filter((value) => value !== undefined)
    if (values.length > 0) known.set(node, [...(known.get(node) ?? []), ...values])
  }
  return known
}

/** The address of a path as it is declared. */
const declaredAt = (path: Path) => formatAddress(path)

class Prober {
  readonly #trial: Trial
  readonly #name: string
  readonly #now: Date
  readonly #samples: readonly Tree[]
  readonly #places: readonly Place[]
  readonly #spots: readonly Spot[]
  /** What readers of the declaration's own refuse with. */
  readonly #ownCodes: ReadonlySet<string>
  readonly #bases: Tree[] = []

  constructor(trial: Trial, name: string, now: Date, samples: readonly Tree[]) {
    this.#trial = trial
    this.#name = name
    this.#now = now
    this.#samples = samples
    this.#places = [...placesIn(trial.endpoint, trial.body)]
    this.#spots = spotsOf(trial.endpoint, this.#places)
    this.#ownCodes = new Set(
      this.#places.flatMap(({ node }) =>
        node.kind === 'readAs'
          ? [node.code]
          : node.kind === 'list' && node.distinct && isReadOtherwise(node.item)
            ? ['repeated']
            : [],
      ),
    )
  }

  *probes(isFirst: boolean, isNew: boolean): Generator<Probe> {
    yield* this.#whole()
    this.#takeSamples()
    if (isNew) for (const place of this.#places) yield* this.#probesAt(place)
    if (isNew) for (const spot of this.#spots) yield* this.#probesOfRule(spot)
    yield* this.#probesOfWhole()
    if (isFirst) yield* this.#probesOfWho()
    if (isFirst) yield* this.#outside()
  }

  /** The smallest and the fullest request. */
  *#whole(): Generator<Probe> {
    const { random } = this.#trial.making
    for (const [what, pick] of [
      ['the smallest request', least],
      ['the fullest request', greatest],
    ] as const) {
      let tree: Tree | undefined
      let spare: Tree | undefined
      let because = 'no request was found that its rules accept'
      for (const one of [pick, random, random, random]) {
        try {
          const made = this.#trial.made(one)
          const came = this.#trial.judge(made)
          const unread = came?.faults.find(({ code }) => this.#ownCodes.has(code))
          // What is wrong with a value that was made is for the judgement to show.
          const isSound = came?.faults.every(({ stage }) => stage === 'rules' || stage === 'identify')
          if (unread) {
            because = `${tellAddress(unread.path)} has its own reader: give it examples`
            spare ??= made
          } else tree = isSound ? mended(this.#trial, made, this.#spots, []) : came && made
        } catch (error) {
          because = reasonOf(error)
        }
        if (tree) break
      }
      if (tree) {
        this.#bases.push(tree)
        yield* this.#good(what, tree)
      } else {
        // Enough to be broken elsewhere.
        if (spare) this.#bases.push(spare)
        yield this.#unprobed({ what, address: '', code: 'accepted', because })
      }
    }
  }

  /** Requests that were accepted as they are. */
  #takeSamples(): void {
    for (const sample of this.#samples) {
      const tree = { ...this.#bases[0], ...sample }
      if (this.#trial.judge(tree)?.faults.length === 0) this.#bases.push(tree)
    }
  }

  *#probesAt(place: Place): Generator<Probe> {
    const also = takenBy(place.node, place.around)
    if (place.demands.length === 0 && also.length === 0) return
    const base = this.#baseAt(place.way)
    for (const demand of place.demands) {
      if (base instanceof Unmakeable) yield this.#unprobed({ ...this.#about(place, demand), because: base.message })
      else {
        yield this.#probeOf(place, demand, base)
        if (demand.met) yield* this.#probeOfTaken(place, `right at ${demand.what}`, demand.met, base, demand.code)
      }
    }
    if (!(base instanceof Unmakeable))
      for (const { what, value } of also) {
        const right = valueAt(base, pathIn(place.way, base))
        yield* this.#probeOfTaken(place, what, (making) => value(right, making), base, undefined)
      }
  }

  /** A request in which something is at a place, and which holds if that can be. */
  #baseAt(way: readonly Step[]): Tree | Unmakeable {
    let unmended: Tree | undefined
    let why = new Unmakeable('no request is found')
    for (const tree of this.#bases)
      try {
        const reached = this.#trial.reached(tree, way)
        const path = pathIn(way, reached)
        if (reached === tree || JSON.stringify(reached) === JSON.stringify(tree)) return tree
        const whole = mended(this.#trial, reached, this.#spots, [path])
        if (whole) return whole
        unmended ??= reached
      } catch (error) {
        why = new Unmakeable(reasonOf(error))
      }
    return unmended ?? why
  }

  #probeOf(place: Place, demand: Demand, base: Tree): Probe {
    const about = this.#about(place, demand)
    const path = pathIn(place.way, base)
    const address = tellAddress(toldPath(place, demand, path))
    let because = 'no value was found that only breaks this'
    try {
      const making = { ...this.#trial.making, source: place.around.source }
      for (const value of demand.broken(rightAt(base, path, place, making), making)) {
        const tree = replaced(base, path, value, gone) as Tree
        if (!place.isSure || demand.isOpen) {
          const came = this.#trial.judge(tree)
          if (!came?.faults.some((fault) => fault.code === demand.code && tellAddress(fault.path) === address)) continue
        }
        const out = this.#trial.outgoing(tree)
        if (out) return this.#bad({ ...about, address }, out)
        because = 'what breaks it cannot be sent there'
      }
    } catch (error) {
      because = reasonOf(error)
    }
    return this.#unprobed({ ...about, because })
  }

  /** A value right at a limit, or one of several, has to be accepted, where nothing else forbids it. */
  *#probeOfTaken(
    place: Place,
    what: string,
    made: (making: Making) => unknown,
    base: Tree,
    code: string | undefined,
  ): Generator<Probe> {
    const path = pathIn(place.way, base)
    let tree: Tree
    try {
      const value = made({ ...this.#trial.making, source: place.around.source })
      tree = replaced(base, path, value, gone) as Tree
    } catch (error) {
      reasonOf(error)
      return
    }
    const whole = mended(this.#trial, tree, this.#spots, [path], fewTries)
    const came = this.#trial.judge(whole ?? tree)
    const isRefused = came?.faults.every((fault) => fault.code === code)
    if (whole || (place.isSure && isRefused)) yield* this.#good(`${declaredAt(place.path)}, ${what}`, whole ?? tree)
  }

  *#probesOfRule(spot: Spot): Generator<Probe> {
    const { rule, base } = spot
    const { derives } = ruleOf(rule)
    if (derives) return
    const codes = codesOf(rule)
    const blamed = declaredAt([...base, ...(parseAddress(rule.blames[0] ?? '') ?? [])])
    const what = stepName(rule)
    if (codes.length === 0)
      yield this.#unprobed({
        what,
        address: blamed,
        code: 'own',
        because: 'only its own function knows what breaks it',
      })
    for (const code of codes) {
      let probe: Probe | undefined
      for (const tree of this.#basesOf(spot)) {
        const isMeant = ({ failed, faults }: Came) => failed.has(what) && faults.some((one) => isOf(one, code))
        const found = broken(this.#trial, tree, spot, isMeant)
        const fault = found && this.#trial.judge(found)?.faults.find((one) => isOf(one, code))
        const out = found && this.#trial.outgoing(found)
        if (fault && out) {
          probe = this.#bad({ what, code, address: tellAddress(fault.path) }, out)
          break
        }
      }
      const because =
        rule.rule === 'check' ? 'only its own function knows what breaks it' : 'no request was found that breaks it'
      yield probe ?? this.#unprobed({ what, address: blamed, code, because })
    }
  }

  /** Requests that a rule is broken in: with all that it looks at, and without. */
  *#basesOf(spot: Spot): Generator<Tree> {
    for (const tree of this.#plainBasesOf(spot)) {
      const whole = changed(this.#trial, tree, presenceOf(spot, tree), [])
      if (whole)
        yield mended(
          this.#trial,
          whole,
          this.#spots,
          presenceOf(spot, whole).map(([path]) => path),
          fewTries,
        ) ?? whole
      yield tree
    }
  }

  *#plainBasesOf({ rule, base }: Spot): Generator<Tree> {
    const place = this.#places.find(
      ({ path, node }) => node.kind === 'record' && samePath(path, base) && (node.rules ?? []).includes(rule),
    )
    const reached = place && this.#baseAt(place.way)
    if (reached && !(reached instanceof Unmakeable)) yield reached
    yield* [...this.#bases].reverse()
  }

  *#probesOfWhole(): Generator<Probe> {
    const [base] = this.#bases
    const out = base && this.#trial.outgoing(base)
    for (const { broken: breaking, because, failure: _, ...about } of demandsOnWhole(
      this.#trial.endpoint,
      this.#trial.body,
    ))
      yield out && because === undefined
        ? this.#bad(about, { ...out, message: breaking(out.message) })
        : this.#unprobed({ ...about, because: because ?? 'no request is found' })
  }

  *#probesOfWho(): Generator<Probe> {
    const { endpoint } = this.#trial
    const [base] = this.#bases
    const out = base && this.#trial.outgoing(base)
    for (const { failure: _, ...about } of demandsOnWho(this.#trial.app, endpoint)) {
      if (about.code === 'not_known' && out) yield this.#bad(about, { ...out, who: { read: undefined, json: null } })
      else {
        const isMeant = ({ faults }: Came) => faults.some(({ code }) => code === 'not_allowed')
        const found = base && endpoint.may ? turned(this.#trial, base, endpoint.may, isMeant) : undefined
        const then = found && this.#trial.outgoing(found)
        yield then ? this.#bad(about, then) : this.#unprobed({ ...about, because: 'nobody was found who may not' })
      }
    }
  }

  /** What only somebody outside can say. */
  *#outside(): Generator<Probe> {
    const because = 'it asks the outside'
    for (const { status: _, ...about } of outsideOf(this.#trial.endpoint)) yield this.#unprobed({ ...about, because })
  }

  *#good(what: string, tree: Tree): Generator<Probe> {
    const out = this.#trial.outgoing(tree)
    if (out) yield { endpoint: this.#name, what, outcome: 'accepted', now: this.#now, ...out }
  }
  #bad(about: Omit<Unprobed, 'endpoint' | 'outcome' | 'because'>, out: Outgoing): BadProbe {
    return { endpoint: this.#name, ...about, outcome: 'rejected', now: this.#now, ...out }
  }
  #unprobed(about: Omit<Unprobed, 'endpoint' | 'outcome'>): Unprobed {
    return { endpoint: this.#name, outcome: 'unprobed', ...about }
  }
  #about({ path }: Place, { what, code, below = [] }: Demand) {
    return { what, code, address: declaredAt([...path, ...below]) }
  }
}

/** So many changes are tried for what need not be found. */
const fewTries = 40

/** The value at a place; one that is right where there is none. */
const rightAt = (tree: Tree, path: Path, { node }: Place, making: Making): unknown =>
  valueAt(tree, path) ?? (readOnlyOf(node) ? undefined : make(node, making))

const isOf = ({ code, stage }: Came['faults'][number], wanted: string) => code === wanted && stage === 'rules'
const samePath = (a: Path, b: Path) => a.length === b.length && a.every((key, index) => key === b[index])

/** @throws What is no lack of a value. */
function reasonOf(error: unknown): string {
  if (error instanceof Unmakeable) return error.message
  throw error
}

/** What lookups and turns reject with. */
function outsideOf({ lookups, statuses }: EndpointNode) {
  return Object.entries(lookups).map(([name, { refusal, absent, reads }]) => ({
    what: `lookup ${name}`,
    address: refusal?.at ?? reads[0] ?? '',
    code: refusal?.code ?? (absent ? 'already_there' : 'not_found'),
    status: refusal?.status ?? statusFor(absent ? 'alreadyThere' : 'notFound', statuses),
  }))
}

/** Something that a declaration demands: what breaks it is rejected with this code at this address. */
export interface Demanded extends About {
  /** As it is declared: `[]` for each element, `{}` for each name. */
  readonly address: string
  readonly code: string
  /** Of the rejection, where it is for this alone. */
  readonly status: number
  /** Whether nobody has said it: it follows from a kind, or from HTTP itself. */
  readonly isImplied: boolean
}

/**
 * All that an intake demands of requests: limits, needs, kinds, formats, choices, tags, rules, who may ask, and what
 * lookups reject. Each address and code once.
 *
 * @example
 * for (const { endpoint, address, code, what } of demandsOf(app)) console.log(endpoint, address, code, what)
 */
export function demandsOf(app: Intake): readonly Demanded[] {
  const node = intakeNode(app)
  return Object.entries(node.endpoints).flatMap(([endpoint, one]) => {
    const { statuses } = one
    const found = new Map<string, Demanded>()
    const add = (address: string, code: string, what: string, status: number, isImplied: boolean) => {
      const key = `${address} ${code}`
      // What somebody has said comes before what goes without saying.
      if (!found.has(key) || (found.get(key)?.isImplied && !isImplied))
        found.set(key, { endpoint, address, code, what, status, isImplied })
    }
    const ofField = (path: Path, code: string, status?: number) =>
      firstOf([{ path, code, status, stage: path.length === 1 && code === 'missing' ? 'read' : 'shape' }], statuses)
        .status
    const bodies = one.bodies.length === 0 ? [undefined] : one.bodies
    for (const { address, code, what, failure } of demandsOnWho(node, one))
      add(address, code, what, statusFor(failure, statuses), code === 'not_known')
    for (const body of bodies) {
      const places = [...placesIn(one, body)]
      for (const { address, code, what, failure } of demandsOnWhole(one, body))
        add(address, code, what, statusFor(failure, statuses), !what.startsWith('limits.'))
      for (const { path, demands } of places)
        for (const { code, what, below = [], isOfKind = false, isNamed } of demands)
          add(
            declaredAt(foldedPath([...path, ...(isNamed ? [EACH_NAME] : below)])),
            code,
            what,
            ofField(path, code),
            isOfKind,
          )
      for (const { rule, base } of spotsOf(one, places))
        for (const code of codesOf(rule))
          for (const address of rule.blames) {
            const path = [...base, ...(parseAddress(address) ?? [])]
            const { status } = firstOf([{ path, code, status: rule.status, stage: 'rules' }], statuses)
            add(declaredAt(path), code, stepName(rule), status, false)
          }
    }
    for (const { address, code, what, status } of outsideOf(one)) add(address, code, what, status, false)
    return [...found.values()]
  })
}

/** An address with `[]` for each element. */
const foldedPath = (path: Path): Path => path.map((key) => (typeof key === 'number' && key !== EACH_NAME ? EACH : key))

/** What came of a probe: the verdict, and what about it is not as it must be. */
export interface Probed {
  readonly verdict: Verdict
  /** `undefined` where all is as it must be. */
  readonly fault: string | undefined
}

/**
 * Judges a probe, and holds the verdict against what must come.
 *
 * @example
 * const { fault } = await judgeProbe(app, probe)
 */
export async function judgeProbe(
  app: Intake,
  probe: GoodProbe | BadProbe,
  options: Pick<JudgeOptions, 'services'> = {},
): Promise<Probed> {
  const { message, now, who } = probe
  const verdict = (await judge(app, message, { ...options, now, ...(who ? { who: who.read } : {}) })) as Verdict
  return { verdict, fault: faultIn(probe, verdict) }
}

/** What about a verdict is not as a probe wants it. */
function faultIn(probe: GoodProbe | BadProbe, verdict: Verdict): string | undefined {
  if (probe.outcome === 'accepted') {
    if (verdict.outcome !== 'rejected') return undefined
    const [first] = verdict.errors
    return `must be accepted, but came ${verdict.status}${first ? `: ${first.address} ${first.code}` : ''}`
  }
  const { address, code } = probe
  if (verdict.outcome !== 'rejected') return `must be rejected with ${address} ${code}, but was accepted`
  if (verdict.errors.some((error) => error.address === address && error.code === code)) return undefined
  const came = verdict.errors.map((error) => `${error.address} ${error.code}`)
  return `must be rejected with ${address} ${code}, but came ${verdict.status}${came.length > 0 ? `: ${came.slice(0, 3).join(', ')}` : ''}`
}

export { requestFor, type Said } from './compose.js'

export interface RequestOptions {
  readonly now?: Date | undefined
  readonly seed?: number | undefined
}

/**
 * Requests to one endpoint without end, accepted and rejected ones, by a seed: for tests of properties.
 *
 * @example
 * for (const { message, outcome } of requestsOf(bookSession, { seed: 7 })) { … }
 */
export function* requestsOf(
  endpoint: Endpoint,
  { now = usualNow, seed = 1 }: RequestOptions = {},
): Generator<GoodProbe | BadProbe> {
  const node = endpointNode(endpoint)
  const app = intakeNode(declareIntake({ endpoints: { endpoint }, ...(node.who ? { identify: () => undefined } : {}) }))
  const name = 'endpoint'
  const own = app.endpoints[name] as EndpointNode
  const random = randomly(seed)
  const bodies = own.bodies.length === 0 ? [undefined] : own.bodies
  const trials = bodies.map((body) => new Trial(app, own, body, { ...makingOf(now, seed), random }))
  const laid = trials.map((trial) => {
    const places = [...placesIn(own, trial.body)]
    return { trial, places: places.filter(({ demands }) => demands.length > 0), spots: spotsOf(own, places) }
  })
  for (let failures = 0; failures < 1000; ) {
    const { trial, places, spots } = oneOf(random, laid)
    const found = tried(() => mended(trial, trial.made(random), spots, [], fewTries))
    const isBad = random() > 0.5
    const place = isBad && places.length > 0 ? oneOf(random, places) : undefined
    const probe =
      found &&
      (place ? spoilt(trial, found, place, random) : { what: 'a request', outcome: 'accepted' as const, tree: found })
    const out = probe && trial.outgoing(probe.tree)
    if (!probe || !out) {
      failures++
      continue
    }
    failures = 0
    const { tree: _, ...about } = probe
    yield { endpoint: name, now, ...about, ...out }
  }
}

function tried<T>(work: () => T): T | undefined {
  try {
    return work()
  } catch (error) {
    reasonOf(error)
    return undefined
  }
}

function spoilt(trial: Trial, tree: Tree, place: Place, random: Picking) {
  const demand = oneOf(random, place.demands)
  return tried(() => {
    const base = trial.reached(tree, place.way)
    const path = pathIn(place.way, base)
    const address = tellAddress(toldPath(place, demand, path))
    const making = { ...trial.making, source: place.around.source }
    for (const value of demand.broken(rightAt(base, path, place, making), making)) {
      const made = replaced(base, path, value, gone) as Tree
      const came = trial.judge(made)
      if (came?.faults.some((fault) => fault.code === demand.code && tellAddress(fault.path) === address))
        return { what: demand.what, outcome: 'rejected' as const, address, code: demand.code, tree: made }
    }
    return undefined
  })
}
