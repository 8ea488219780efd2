/**
 * Rules, on an input whose shape has been read. Each runs when all that it reads was read without error and, for most,
 * is present. First the values that are derived from others, then what must hold.
 */
import { bringsRules, type Placed, rulesOf } from '../declare/place.js'
import type { Node } from '../kinds/kind.js'
import { childrenOf } from '../kinds/kinds.js'
import { resolve } from '../kinds/later.js'
import type { RecordNode } from '../kinds/record.js'
import { addFault, type Fault, type Run } from '../kinds/run.js'
import { branchOf } from '../kinds/tagged.js'
import { addressesIn, holdingOf } from '../rules/conditions.js'
import { concrete, type Matter, pathOf } from '../rules/matter.js'
import type { AnyRule } from '../rules/rule.js'
import { type PlacedRule, placeRule, ruleOf } from '../rules/rules.js'
import { EACH, EACH_NAME, isEach, type Path, parseAddress, stepsOf, valueAt } from '../terms/address.js'
import type { Parts } from '../terms/parts.js'
import type { Step } from '../terms/verdict.js'
import { branchTaken, fitting, hold } from './interpret.js'

/** Judges the rules of an endpoint by code: see `emitRules`. `slow` interprets one, as a whole or at one place. */
export type RuleJudge = (
  input: Parts,
  sent: Parts,
  accept: string | undefined,
  isKnown: boolean,
  run: Run,
  barred: readonly boolean[] | undefined,
  slow: (index: number, place?: Path, own?: unknown) => void,
) => void

/** Stands for what a rule's own function has not said. */
export const unset = Symbol('unset')

/** Runs every rule that can run. */
export function runRules(
  { rules, thickets }: Placed,
  matter: Omit<Matter, 'scope' | 'hold' | 'fit' | 'known' | 'run'> & {
    /** Whether somebody has said who is asking: where not, rules that look at it do not run. */
    readonly isKnown: boolean
  },
  run: Run,
  judgeByCode?: RuleJudge,
): void {
  const isClean = run.faults.length === 0 && run.beyond === 0 && !run.trace
  if (judgeByCode && isClean && thickets.length === 0) {
    // What is only needed where a rule fails is made when one does.
    let slow: Slow | undefined
    judgeByCode(matter.input, matter.sent, matter.accept, matter.isKnown, run, undefined, (index, place, own) => {
      slow ??= interpreterOf({ rules, thickets }, matter, run).slow
      slow(index, place, own)
    })
    return
  }
  const { judgePlaced, judgeThickets, slow, wrong } = interpreterOf({ rules, thickets }, matter, run)
  const derives = (rule: AnyRule) => ruleOf(rule).derives
  const judges = (rule: AnyRule) => !derives(rule)
  if (judgeByCode && run.beyond === 0 && !run.trace) {
    const barred =
      run.faults.length === 0
        ? undefined
        : rules.map((placed) => pathsOf(placed).some((path) => isWrongAt(wrong, path)))
    judgeThickets(derives)
    judgeByCode(matter.input, matter.sent, matter.accept, matter.isKnown, run, barred, slow)
    judgeThickets(judges)
    return
  }
  for (const placed of rules) if (derives(placed.rule)) judgePlaced(placed)
  judgeThickets(derives)
  for (const placed of rules) if (judges(placed.rule)) judgePlaced(placed)
  judgeThickets(judges)
}

type Slow = Parameters<RuleJudge>[6]
type Whole = Parameters<typeof runRules>[1]

/** What interprets rules: one where it is placed, or at one place. */
function interpreterOf({ rules, thickets }: Placed, matter: Whole, run: Run) {
  // Spelt out, since a spread for each of many elements takes longer than their rules.
  const { root, sent, input, accept, isKnown } = matter
  const wrong = wrongPlaces(run.faults)
  const put = (path: Path, value: unknown) => hold(root, path, value, run)
  const fit = fitting(run)
  const judge = (
    rule: AnyRule,
    base: Path,
    declared: Path,
    place: Path,
    known: Map<unknown, unknown>,
    own?: { readonly result: unknown },
  ) => {
    const scope = { base, declared, concrete: place }
    runRule(rule, { root, sent, input, accept, scope, hold: put, fit, known, run, own }, run, wrong)
  }
  const applies = (guards: PlacedRule['guards'], place: Path) =>
    guards.every(({ path, value }) => valueAt(input, settle(path, place)) === value)
  const judgePlaced = ({ rule, base, declared, guards }: PlacedRule) => {
    if (!isKnown && base.length === 0 && readsOf(rule).some(isOfWho)) {
      tellStep(run, rule, notRun('nobody said who is asking'))
      return
    }
    const known = new Map()
    const places = concrete(input, declared)
    if (places.length === 0) tellStep(run, rule, notRun('nothing was sent there'))
    for (const place of places) if (applies(guards, place)) judge(rule, base, declared, place, known)
  }
  const judgeThickets = (isDue: (rule: AnyRule) => boolean) => {
    for (const { node, base, guards } of thickets)
      for (const place of concrete(input, base))
        if (applies(guards, place))
          eachRecord(node, valueAt(input, place), base, place, run, (record, at, from) => {
            for (const rule of rulesOf(record)) {
              const { declared } = placeRule(rule, at, [])
              const lists = declared.slice(at.length)
              if (isDue(rule))
                for (const one of concrete(input, [...from, ...lists])) judge(rule, at, declared, one, new Map())
            }
          })
  }
  const knowns = new Map<number, Map<unknown, unknown>>()
  const slow: Slow = (index, place, own) => {
    const placed = rules[index] as PlacedRule
    if (!place) {
      judgePlaced(placed)
      return
    }
    const known = knowns.get(index) ?? new Map()
    knowns.set(index, known)
    judge(placed.rule, placed.base, placed.declared, place, known, own === unset ? undefined : { result: own })
  }
  return { judgePlaced, judgeThickets, slow, wrong }
}

const paths = new WeakMap<PlacedRule, readonly Path[]>()
/** The paths of all that a rule needs to be sound, as they are declared. */
function pathsOf(placed: PlacedRule): readonly Path[] {
  const known = paths.get(placed)
  if (known) return known
  const made = readsOf(placed.rule).map((address) => [...placed.base, ...(parseAddress(address) ?? [])])
  paths.set(placed, made)
  return made
}

type Visit = (record: RecordNode, declared: Path, place: Path) => void

/**
 * The records with rules in a value, where only the value tells what was chosen. What a program has put into many
 * places is looked at once.
 */
function eachRecord(top: Node, whole: unknown, base: Path, start: Path, run: Run, visit: Visit): void {
  const seen = new Map<Node, Set<object>>()
  const look = (node: Node, value: unknown, declared: Path, place: Path): void => {
    if (typeof value !== 'object' || value === null || !bringsRules(node)) return
    const values = seen.get(node) ?? new Set()
    if (values.has(value)) return
    seen.set(node, values.add(value))
    const chosen =
      node.kind === 'later'
        ? resolve(node)
        : node.kind === 'either'
          ? branchTaken(node.branches, value, run)
          : node.kind === 'tagged'
            ? branchOf(node, value)
            : undefined
    if (chosen) {
      look(chosen, value, declared, place)
      return
    }
    if (node.kind === 'record') visit(node, declared, place)
    for (const [step, child] of childrenOf(node)) {
      if (step === undefined) continue
      const below = [...declared, step]
      for (const key of isEach(step) ? stepsOf(value, step) : [step])
        look(child, valueAt(value, [key]), below, [...place, key])
    }
  }
  look(top, whole, base, start)
}

/** What it needs to be sound: what it reads, and what its conditions look at. */
export const readsOf = ({ reads, during }: AnyRule): readonly string[] =>
  during ? [...reads, ...during.flatMap(addressesIn)] : reads

const isOfWho = (address: string) => parseAddress(address)?.[0] === 'who'

/** A path whose first elements are those of another. */
const settle = (path: Path, base: Path): Path => path.map((key, index) => (isEach(key) ? (base[index] ?? key) : key))

function runRule(rule: AnyRule, matter: Matter, run: Run, wrong: WrongPlace): void {
  const { waits, judge } = ruleOf(rule)
  const at = (address: string) => pathOf(address, matter.scope)
  // With faults beyond those that are kept, nobody can say what a rule would read.
  const isSound = run.beyond === 0 && !wrong.isFault && wrong.below.size === 0
  const barred = isSound ? undefined : readsOf(rule).find((address) => run.beyond > 0 || isWrongAt(wrong, at(address)))
  const lacking = waits ? rule.reads.find((address) => valueAt(matter.input, at(address)) === undefined) : undefined
  const holding = (rule.during ?? []).map((condition) => holdingOf(condition, matter))
  const isOff = barred === undefined && holding.some((holds) => !holds(matter.scope.concrete))
  const runs = barred === undefined && lacking === undefined && !isOff
  const found = runs ? judge(rule, matter).filter(({ path }) => holding.every((holds) => holds(path))) : []
  for (const fault of found) addFault(run, fault)
  tellStep(
    run,
    rule,
    barred !== undefined
      ? notRun(`${barred} is wrong`)
      : lacking !== undefined
        ? notRun(`${lacking} was not sent`)
        : isOff
          ? notRun('its condition does not hold')
          : { outcome: found.length > 0 ? 'failed' : 'passed' },
  )
}

const tellStep = ({ trace }: Run, { rule, reads }: AnyRule, came: Pick<Step, 'outcome' | 'because'>) =>
  trace?.steps.push({ stage: 'rules', name: `${rule} ${reads.join(' ')}`, ...came })

const notRun = (because: string): Pick<Step, 'outcome' | 'because'> => ({ outcome: 'not run', because })

/**
 * The places of faults, as a tree of their steps, so that a rule finds those that concern it however many there are.
 */
interface WrongPlace {
  isFault: boolean
  readonly below: Map<string | number, WrongPlace>
}

function wrongPlaces(faults: readonly Fault[]): WrongPlace {
  const top: WrongPlace = { isFault: false, below: new Map() }
  for (const { path } of faults) {
    let place = top
    for (const key of path) {
      let next = place.below.get(key)
      if (!next) {
        next = { isFault: false, below: new Map() }
        place.below.set(key, next)
      }
      place = next
    }
    place.isFault = true
  }
  return top
}

/** Whether a fault keeps a rule from reading a path: it lies there, or below, or at what holds the path. */
function isWrongAt(place: WrongPlace, path: Path, from = 0): boolean {
  if (place.isFault) return true
  if (from === path.length) return place.below.size > 0
  const key = path[from] as string | number
  if (key === EACH) {
    for (const [index, next] of place.below)
      if (typeof index === 'number' && isWrongAt(next, path, from + 1)) return true
    return false
  }
  if (key === EACH_NAME) {
    for (const next of place.below.values()) if (isWrongAt(next, path, from + 1)) return true
    return false
  }
  // The name of a secret stands in a fault as any name.
  return [key, EACH_NAME].some((one) => {
    const next = place.below.get(one)
    return next !== undefined && isWrongAt(next, path, from + 1)
  })
}
