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
import { concrete, type Matter, pathOf, type Scope } from '../rules/matter.js'
import type { AnyRule } from '../rules/rule.js'
import { listsOf, type PlacedRule, ruleOf } from '../rules/rules.js'
import { EACH, EACH_NAME, isEach, type Path, parseAddress, stepsOf, valueAt } from '../terms/address.js'
import type { Step } from '../terms/verdict.js'
import { branchTaken, fitting, hold } from './interpret.js'

/** Judges the rules of an endpoint by code: see `emitRules`. */
export type RuleJudge = (judging: Judging) => void

/** What rules are judged on, wherever they lie. */
export interface Judging extends Pick<Matter, 'root' | 'sent' | 'input' | 'accept' | 'run'> {
  readonly placed: Placed
  /** Whether somebody has said who is asking: where not, rules that look at it do not run. */
  readonly isKnown: boolean
  /** How many faults there were before: they keep rules from being judged. */
  readonly found: number
  /** Of each rule, whether they do so at any place. */
  barred: readonly boolean[] | undefined
  /** Made where code cannot say it. */
  interpreter: Interpreter | undefined
}

/** Stands for what a rule's own function has not said. */
export const unset = Symbol('unset')

/** Runs every rule that can run. */
export function runRules(judging: Judging, judgeByCode?: RuleJudge): void {
  const { run, placed, found } = judging
  if (judgeByCode && run.beyond === 0 && !run.trace) {
    if (found > 0) judging.barred = barredBy(run.faults, placed.rules)
    if (placed.thickets.length === 0) {
      judgeByCode(judging)
      return
    }
    const { judgeThickets } = interpreterOf(judging)
    judgeThickets(derives)
    judgeByCode(judging)
    judgeThickets(judges)
    return
  }
  const { judgePlaced, judgeThickets } = interpreterOf(judging)
  for (const one of placed.rules) if (derives(one.rule)) judgePlaced(one)
  judgeThickets(derives)
  for (const one of placed.rules) if (judges(one.rule)) judgePlaced(one)
  judgeThickets(judges)
}

/** Interprets one rule for the code: wherever it is placed, or at one place. */
export function interpretRule(judging: Judging, index: number, place?: Path, own?: unknown): void {
  interpreterOf(judging).judgeOne(index, place, own)
}

const derives = (rule: AnyRule) => ruleOf(rule).derives
const judges = (rule: AnyRule) => !derives(rule)

/** A step of what rules read: those that read just this, and those that read this or something below it. */
interface Read {
  readonly here: number[]
  readonly within: number[]
  readonly below: Map<string | number, Read>
}
const newRead = (): Read => ({ here: [], within: [], below: new Map() })

const reads = new WeakMap<readonly PlacedRule[], Read>()
/** What each rule needs to be sound, as a tree of its steps. */
function readBy(rules: readonly PlacedRule[]): Read {
  const known = reads.get(rules)
  if (known) return known
  const top = newRead()
  for (const [index, { rule, base }] of rules.entries())
    for (const address of readsOf(rule)) {
      let place = top
      top.within.push(index)
      for (const key of [...base, ...(parseAddress(address) ?? [])]) {
        const next = place.below.get(key) ?? newRead()
        place.below.set(key, next)
        next.within.push(index)
        place = next
      }
      place.here.push(index)
    }
  reads.set(rules, top)
  return top
}

/** Of each rule, whether something that it reads is wrong, at any place. */
function barredBy(faults: readonly Fault[], rules: readonly PlacedRule[]): readonly boolean[] {
  const barred: boolean[] = []
  for (const _ of rules) barred.push(false)
  const top = readBy(rules)
  for (const { path } of faults) bar(top, path, 0, barred)
  return barred
}

/** A fault keeps a rule from reading what lies there, or below, or what holds the fault. */
function bar({ here, within, below }: Read, path: Path, from: number, barred: boolean[]): void {
  for (const index of from === path.length ? within : here) barred[index] = true
  const key = path[from]
  if (key === undefined) return
  // The name of a secret stands in a fault as any name.
  if (key === EACH_NAME) for (const next of below.values()) bar(next, path, from + 1, barred)
  else {
    barBelow(below.get(key), path, from, barred)
    barBelow(below.get(EACH_NAME), path, from, barred)
    if (typeof key === 'number') barBelow(below.get(EACH), path, from, barred)
  }
}

function barBelow(next: Read | undefined, path: Path, from: number, barred: boolean[]): void {
  if (next) bar(next, path, from + 1, barred)
}

interface Interpreter {
  judgePlaced(placed: PlacedRule): void
  judgeThickets(isDue: (rule: AnyRule) => boolean): void
  judgeOne(index: number, place?: Path, own?: unknown): void
}

/** How rules are interpreted that lie in one judgement. */
function interpreterOf(judging: Judging): Interpreter {
  judging.interpreter ??= makeInterpreter(judging)
  return judging.interpreter
}

function makeInterpreter({ placed, root, sent, input, accept, isKnown, run, found, barred }: Judging): Interpreter {
  const { rules, thickets } = placed
  const wrong = found === 0 ? soundPlace : wrongPlaces(run.faults.slice(0, found))
  const put = (path: Path, value: unknown) => hold(root, path, value, run)
  const fit = fitting(run)
  // Spelt out, since a spread for each of many elements takes longer than their rules.
  const judge = (
    rule: AnyRule,
    scope: Scope,
    known: Map<unknown, unknown>,
    within: WrongPlace,
    own?: { readonly result: unknown },
  ) => runRule(rule, { root, sent, input, accept, scope, hold: put, fit, known, run, own }, run, within)
  const applies = (guards: PlacedRule['guards'], place: Path) =>
    guards.every(({ path, value }) => valueAt(input, settle(path, place)) === value)
  const judgePlaced = ({ rule, base, declared, guards, scope }: PlacedRule) => {
    if (!isKnown && base.length === 0 && readsOf(rule).some(isOfWho)) {
      tellStep(run, rule, notRun('nobody said who is asking'))
      return
    }
    const known = new Map()
    const places = concrete(input, declared)
    if (places.length === 0) tellStep(run, rule, notRun('nothing was sent there'))
    for (const place of places)
      if (applies(guards, place)) judge(rule, scope ?? { base, declared, concrete: place }, known, wrong)
  }
  const judgeThickets = (isDue: (rule: AnyRule) => boolean) => {
    for (const { node, base, guards } of thickets)
      for (const place of concrete(input, base))
        if (applies(guards, place))
          eachRecord(node, valueAt(input, place), base, place, run, (record, at, from) => {
            for (const rule of rulesOf(record)) {
              if (!isDue(rule)) continue
              const lists = listsOf(rule)
              for (const one of concrete(input, [...from, ...lists]))
                judge(rule, { base: at, declared: [...at, ...lists], concrete: one }, new Map(), wrong)
            }
          })
  }
  const knowns = new Map<number, Map<unknown, unknown>>()
  const judgeOne = (index: number, place?: Path, own?: unknown) => {
    const one = rules[index] as PlacedRule
    if (!place) {
      judgePlaced(one)
      return
    }
    const { rule, base, declared, scope = { base, declared, concrete: place } } = one
    const known = knowns.get(index) ?? new Map()
    knowns.set(index, known)
    judge(rule, scope, known, barred?.[index] ? wrong : soundPlace, own === unset ? undefined : { result: own })
  }
  return { judgePlaced, judgeThickets, judgeOne }
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
  const isSound = run.beyond === 0 && wrong === soundPlace
  const barred = isSound ? undefined : readsOf(rule).find((address) => run.beyond > 0 || isWrongAt(wrong, at(address)))
  const lacking = waits ? rule.reads.find((address) => valueAt(matter.input, at(address)) === undefined) : undefined
  if (barred !== undefined || lacking !== undefined) {
    tellStep(run, rule, notRun(barred === undefined ? `${lacking} was not sent` : `${barred} is wrong`))
    return
  }
  const holding = rule.during?.map((condition) => holdingOf(condition, matter))
  if (holding?.some((holds) => !holds(matter.scope.concrete))) {
    tellStep(run, rule, notRun('its condition does not hold'))
    return
  }
  let outcome: Step['outcome'] = 'passed'
  for (const fault of judge(rule, matter)) {
    if (holding?.some((holds) => !holds(fault.path))) continue
    addFault(run, fault)
    outcome = 'failed'
  }
  tellStep(run, rule, { outcome })
}

const tellStep = ({ trace }: Run, { rule, reads }: AnyRule, came: Pick<Step, 'outcome' | 'because'>) =>
  trace?.steps.push({ stage: 'rules', name: `${rule} ${reads.join(' ')}`, ...came })

const notRun = (because: string): Pick<Step, 'outcome' | 'because'> => ({ outcome: 'not run', because })

/**
 * The places of faults, as a tree of their steps, so that a rule finds those that concern it however many there are.
 */
interface WrongPlace {
  isFault: boolean
  below: Map<string | number, WrongPlace> | undefined
}

/** Where nothing is wrong. */
const soundPlace: WrongPlace = { isFault: false, below: undefined }

function wrongPlaces(faults: readonly Fault[]): WrongPlace {
  const top: WrongPlace = { isFault: false, below: undefined }
  for (const { path } of faults) {
    let place = top
    for (const key of path) {
      place.below ??= new Map()
      let next = place.below.get(key)
      if (!next) {
        next = { isFault: false, below: undefined }
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
  const { isFault, below } = place
  if (isFault || !below) return isFault
  if (from === path.length) return true
  const key = path[from] as string | number
  if (isEach(key)) {
    for (const [step, next] of below)
      if ((key === EACH_NAME || typeof step === 'number') && isWrongAt(next, path, from + 1)) return true
    return false
  }
  // The name of a secret stands in a fault as any name.
  const [next, secret] = [below.get(key), below.get(EACH_NAME)]
  return (
    (next !== undefined && isWrongAt(next, path, from + 1)) ||
    (secret !== undefined && isWrongAt(secret, path, from + 1))
  )
}
