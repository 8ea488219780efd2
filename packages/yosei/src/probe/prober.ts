/** Makes the probes of one endpoint with a body of one media type. */

import { ruleOf } from '../rules/brought.js'
import type { AnyRule } from '../rules/rule.js'
import { formatAddress, type Path, parseAddress, tellAddress, valueAt } from '../terms/address.js'
import { outsideOf } from './demanded.js'
import { type Demand, isReadOtherwise } from './demands.js'
import type { Making } from './make.js'
import { greatest, least, reasonOf, tried, Unmakeable } from './pick.js'
import { type Place, placesIn } from './places.js'
import type { BadProbe, Probe, Unprobed } from './probed.js'
import { demandsOnWho, demandsOnWhole } from './requests.js'
import { codesOf, presenceOf, type Spot, spotsOf, stepName } from './rules.js'
import { broken, changed, fewTries, mended, someTries, spoilt, turned } from './search.js'
import { takenBy } from './takers.js'
import type { Came, Outgoing, Tree, Trial } from './trial.js'
import { pathIn, replaced, type Step } from './ways.js'

export class Prober {
  readonly #trial: Trial
  readonly #name: string
  readonly #now: Date
  readonly #samples: readonly Tree[]
  readonly #places: readonly Place[]
  readonly #spots: readonly Spot[]
  /** What readers of the declaration's own refuse with. */
  readonly #ownCodes: ReadonlySet<string>
  readonly #bases: Tree[] = []
  /** Whether one of them is accepted. */
  #isMet = false

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
          const beyond = came?.faults.find(({ code }) => code === 'too_large')
          // What is wrong with a value that was made is for the judgement to show.
          const isSound = came?.faults.every(({ stage }) => stage === 'rules' || stage === 'identify')
          if (unread) {
            because = `${tellAddress(unread.path)} has its own reader: give it examples`
          } else if (beyond) because = `it is larger than the limits of the endpoint, at ${tellAddress(beyond.path)}`
          else if (isSound) tree = mended(this.#trial, made, this.#spots, [], one === pick ? undefined : someTries)
          else tree = came && made
          // Enough to be broken elsewhere.
          if (came && !beyond) spare ??= made
        } catch (error) {
          because = reasonOf(error)
          spare ??= tried(() => this.#trial.made(one, true))
        }
        if (tree) break
      }
      if (tree) {
        this.#isMet = true
        this.#bases.push(tree)
        yield* this.#good(what, tree)
      } else {
        if (spare) this.#bases.push(spare)
        yield this.#unprobed({ what, address: '', code: 'accepted', because })
      }
    }
  }

  /** As `mended`, if any request of the endpoint was found that its rules accept. */
  #mended(tree: Tree, held: readonly Path[], most?: number): Tree | undefined {
    return this.#isMet ? mended(this.#trial, tree, this.#spots, held, most) : undefined
  }

  /** Requests that were accepted as they are. */
  #takeSamples(): void {
    for (const sample of this.#samples) {
      const tree = { ...this.#bases[0], ...sample }
      if (this.#trial.judge(tree)?.faults.length !== 0) continue
      this.#isMet = true
      this.#bases.push(tree)
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
    for (const tree of this.#bases) {
      if (this.#trial.holds(tree, way)) return tree
      // Where nothing can be made, what holds it will do.
      const reached =
        tried(() => this.#trial.reached(tree, way)) ?? tried(() => this.#trial.reached(tree, way.slice(0, -1)))
      if (!reached) {
        why = new Unmakeable('no value was found that leads there')
        continue
      }
      const path = pathIn(way, reached)
      const whole = this.#mended(reached, [path])
      if (whole) return whole
      unmended ??= reached
    }
    return unmended ?? why
  }

  #probeOf(place: Place, demand: Demand, base: Tree): Probe {
    const about = this.#about(place, demand)
    let because = 'no value was found that only breaks this'
    try {
      // What is long may be too long for the head first.
      const isLong = place.path[0] !== 'body' && (demand.code === 'too_long' || demand.code === 'too_many')
      const isJudged = !place.isSure || demand.isOpen === true || isLong
      if (isLong) because = 'what breaks it is beyond the limits of the endpoint'
      for (const { tree, address } of spoilt(this.#trial, base, place, demand, isJudged)) {
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
    const value = tried(() => made({ ...this.#trial.making, source: place.around.source }))
    if (value === undefined) return
    const tree = replaced(base, path, value) as Tree
    const whole = this.#mended(tree, [path], fewTries)
    const came = this.#trial.judge(whole ?? tree)
    const isRefused = came?.faults.every((fault) => fault.code === code && fault.stage !== 'rules')
    if (whole || (place.isSure && isRefused)) yield* this.#good(`${formatAddress(place.path)}, ${what}`, whole ?? tree)
  }

  *#probesOfRule(spot: Spot): Generator<Probe> {
    const { rule, base } = spot
    const { derives } = ruleOf(rule)
    if (derives) return
    const codes = codesOf(rule)
    const blamed = formatAddress([...base, ...(parseAddress(rule.blames[0] ?? '') ?? [])])
    const what = stepName(rule)
    const because = isOwn(rule) ? 'only its own function knows what breaks it' : 'no request was found that breaks it'
    if (codes.length === 0) yield this.#unprobed({ what, address: blamed, code: 'own', because })
    for (const code of codes) {
      let probe: Probe | undefined
      for (const tree of this.#basesOf(spot)) {
        const isMeant = ({ failed, faults }: Came) => failed.has(rule) && faults.some((one) => isOf(one, code))
        const found = broken(this.#trial, tree, spot, isMeant)
        const fault = found && this.#trial.judge(found)?.faults.find((one) => isOf(one, code))
        const out = found && this.#trial.outgoing(found)
        if (fault && out) {
          probe = this.#bad({ what, code, address: tellAddress(fault.path) }, out)
          break
        }
      }
      yield probe ?? this.#unprobed({ what, address: blamed, code, because })
    }
  }

  /** Requests that a rule is broken in: with all that it looks at, and without. */
  *#basesOf(spot: Spot): Generator<Tree> {
    for (const tree of this.#plainBasesOf(spot)) {
      const whole = changed(this.#trial, tree, presenceOf(spot, tree), [])
      if (whole)
        yield this.#mended(
          whole,
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
        yield then ? this.#bad(about, then) : this.#unprobed({ ...about, because: 'no caller was found who may not' })
      }
    }
  }

  /** What only a service can say. */
  *#outside(): Generator<Probe> {
    const because = 'it needs a service'
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
    return { what, code, address: formatAddress([...path, ...below]) }
  }
}

const isOf = ({ code, stage }: Came['faults'][number], wanted: string) => code === wanted && stage === 'rules'
const samePath = (a: Path, b: Path) => a.length === b.length && a.every((key, index) => key === b[index])
/** Whether its user's function says what holds. */
const isOwn = ({ rule }: AnyRule) => rule === 'check' || rule === 'find'
