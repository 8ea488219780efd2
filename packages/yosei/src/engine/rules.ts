/**
 * Rules, on an input whose shape has been read. Each runs when all that it reads was read without error and, for most,
 * is present. First the values that are derived from others, then what must hold.
 */
import { bringsRules, type Placed, placedIn, rootAt, rulesOf } from '../declare/place.js'
import { childrenOf } from '../kinds/brought.js'
import type { Node } from '../kinds/kind.js'
import { readNode } from '../kinds/reading.js'
import type { RecordNode } from '../kinds/record.js'
import { resolve } from '../kinds/resolve.js'
import { addFault, addObserved, clock, type Fault, type Run } from '../kinds/run.js'
import { branchOf } from '../kinds/tagged.js'
import { ruleOf } from '../rules/brought.js'
import type { AnyCondition } from '../rules/condition.js'
import { addressesIn, holdingOf } from '../rules/conditions.js'
import { concrete, isNone, pathOf, type RuleInput, type Scope, stepsShared } from '../rules/input.js'
import type { AnyRule } from '../rules/rule.js'
import { listsOf, type PlacedRule } from '../rules/rules.js'
import { EACH_NAME, firstEach, isEach, isFromEnd, type Path, parseAddress, stepsOf, valueAt } from '../terms/address.js'
import type { Step } from '../terms/verdict.js'
import { branchTaken, encode, hold, startRun } from './interpret.js'

/** What rules are judged on, wherever they lie. */
export interface Judging extends Pick<RuleInput, 'root' | 'sent' | 'input' | 'accept' | 'run'> {
  readonly placed: Placed
  /** Whether the caller is known: if not, rules that read it do not run. */
  readonly isKnown: boolean
  /** How many faults there were before: they keep rules from being judged. */
  readonly found: number
  /** Whether more was wrong than is kept. If so, it is not known what a rule would read. */
  readonly isLost: boolean
  /** Whether the body is read as text; an empty text then counts as not sent. */
  readonly isTextBody: boolean
  /** Of each rule, whether they do so at any place: worked out for code. */
  barred: readonly boolean[] | undefined
  /** Made where code cannot say it. */
  interpreter: Interpreter | undefined
}

/** Runs every rule that can run. */
export function runRules(judging: Judging): void {
  const { rules } = judging.placed
  const { judgePlaced, judgeUnplaced } = interpreterOf(judging)
  for (const one of rules) if (derives(one.rule)) judgePlaced(one)
  judgeUnplaced(derives)
  for (const one of rules) if (judges(one.rule)) judgePlaced(one)
  judgeUnplaced(judges)
}

/**
 * What other fields find wrong with values that were read, their records' rules included; nothing is changed. `sent` is
 * what came from the client for a value.
 */
export const fitting =
  (outer: Run) =>
  (field: Node, value: unknown, sent: unknown, isSecret: boolean): readonly Fault[] => {
    const node = isSecret ? veiled(field) : field
    const run = startRun(clock(outer))
    run.unlisted = 'keep'
    run.deepest = outer.deepest
    run.who = outer.who
    const read = readNode(node, encode(node, value, clock(outer)), 'json', run)
    if (!bringsRules(node)) return run.faults
    const placed = placedIn(node)
    const found = run.faults.length
    run.faults = run.faults.map((fault) => ({ ...fault, path: ['body', ...fault.path] }))
    runRules({
      placed,
      root: placed.root,
      sent: { body: sent },
      input: { body: read },
      accept: undefined,
      isKnown: false,
      isTextBody: false,
      isLost: run.beyond > 0,
      run,
      found,
      barred: undefined,
      interpreter: undefined,
    })
    return run.faults.map((fault) => ({ ...fault, path: fault.path.slice(1) }))
  }

const veils = new WeakMap<Node, Node>()
/** A field as a secret, of which no rule inside tells a value either. */
function veiled(field: Node): Node {
  const made = veils.get(field) ?? { ...field, secret: true }
  veils.set(field, made)
  return made
}

export const derives = (rule: AnyRule) => ruleOf(rule).derives
export const judges = (rule: AnyRule) => !derives(rule)

/** How many there are says nothing of what is inside. */
const isOfCount = ({ code }: Pick<Fault, 'code'>) => code === 'too_few' || code === 'too_many'

export interface Interpreter {
  /** One rule at one place, if nothing lies there that keeps it; with what its own function has said, if it was asked. */
  judge(
    rule: AnyRule,
    root: Node,
    scope: Scope,
    known: Map<unknown, unknown>,
    within: WrongPlace,
    own?: { readonly result: unknown },
  ): void
  /** What was found wrong before. */
  readonly wrong: WrongPlace
  judgePlaced(placed: PlacedRule): void
  judgeUnplaced(isDue: (rule: AnyRule) => boolean): void
}

/** How rules are interpreted that lie in one judgement. */
export function interpreterOf(judging: Judging): Interpreter {
  judging.interpreter ??= makeInterpreter(judging)
  return judging.interpreter
}

function makeInterpreter(judging: Judging): Interpreter {
  const { placed, root: whole, sent, input, accept, isKnown, isTextBody, isLost, run, found } = judging
  const { unplaced } = placed
  const wrong =
    found === 0 && !isLost && run.masked.length === 0
      ? soundPlace
      : wrongPlaces([...run.faults.slice(0, found), ...run.masked.map((path) => ({ path, code: 'masked' }))], isLost)
  const put = (root: Node) => (path: Path, value: unknown) => hold(root, path, value, run)
  const fit = fitting(run)
  const isWrongHere = (path: Path) => isWrongAt(wrong, path)
  // Spelt out, since a spread for each of many elements takes longer than their rules.
  const judge: Interpreter['judge'] = (rule, root, scope, known, within, own) => {
    const isWrong = within === soundPlace ? never : isWrongHere
    const about = {
      root,
      sent,
      input,
      accept,
      scope,
      hold: put(root),
      fit,
      isTextBody,
      isWrong,
      speaksOf: always,
      known,
      run,
      own,
    }
    runRule(rule, about, run, within)
  }
  const applies = (guards: PlacedRule['guards'], place: Path) =>
    guards.every(({ path, value }) => valueAt(input, settle(path, stepsShared(path, place))) === value)
  /** Of a record that was not sent, its rules ask nothing. */
  const isThere = (base: Path, place: Path) => base.length === 0 || !isNone(valueAt(input, place.slice(0, base.length)))
  const judgePlaced = ({ rule, root, base, declared, guards, scope }: PlacedRule) => {
    if (!isKnown && base.length === 0 && readsOf(rule).some(isOfWho)) {
      tellStep(run, rule, notRun('the caller was not given'))
      return
    }
    const known = new Map()
    const places = concrete(input, declared)
    if (places.length === 0) tellStep(run, rule, notRun('nothing was sent there'))
    for (const place of places)
      if (applies(guards, place) && isThere(base, place))
        judge(rule, root, scope ?? { base, declared, concrete: place, input }, known, wrong)
  }
  const judgeUnplaced = (isDue: (rule: AnyRule) => boolean) => {
    for (const { node, base, guards } of unplaced)
      for (const place of concrete(input, base))
        if (applies(guards, place))
          eachRecord(node, valueAt(input, place), base, place, run, (record, at, from) => {
            const own = rootAt(whole, at, record)
            for (const rule of rulesOf(record)) {
              if (!isDue(rule)) continue
              const lists = listsOf(rule)
              for (const one of concrete(input, [...from, ...lists]))
                judge(rule, own, { base: at, declared: [...at, ...lists], concrete: one, input }, new Map(), wrong)
            }
          })
  }
  return { judge, wrong, judgePlaced, judgeUnplaced }
}

type Visit = (record: RecordNode, declared: Path, place: Path) => void

/**
 * The records with rules in a value, if only the value tells what was chosen. What a program has put into many
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
          ? branchTaken(node, value, run)
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

function runRule(rule: AnyRule, matter: RuleInput, run: Run, wrong: WrongPlace): void {
  const { waits, judge } = ruleOf(rule)
  const { scope, input } = matter
  const at = (address: string) => pathOf(address, scope)
  const barred = wrong === soundPlace ? undefined : whatBars(rule, at, wrong)
  const lacking = waits(rule).find((address) => valueAt(input, at(address)) === undefined)
  if (barred !== undefined || lacking !== undefined) {
    tellStep(run, rule, notRun(barred === undefined ? `${lacking} was not sent` : `${barred} is wrong`))
    return
  }
  const speaksOf = rule.during ? speaking(rule, rule.during, matter) : always
  if (!speaksOf) {
    tellStep(run, rule, notRun('its condition does not hold'))
    return
  }
  let outcome: Step['outcome'] = 'passed'
  const isObserved = rule.mode === 'observe'
  for (const fault of judge(rule, rule.during ? { ...matter, speaksOf } : matter)) {
    if (isObserved) addObserved(run, fault)
    else addFault(run, fault)
    outcome = isObserved ? 'observed' : 'failed'
  }
  tellStep(run, rule, { outcome })
}

const always = (): boolean => true
const never = (): boolean => false

/** The address at which something is wrong that keeps a rule from being judged. */
function whatBars(rule: AnyRule, at: (address: string) => Path, wrong: WrongPlace): string | undefined {
  const { elements, judgesKnown, callsOwn, minds } = ruleOf(rule)
  const own = judgesKnown ? elements(rule) : noAddresses
  const lists = own.map(at)
  const looked = rule.during?.flatMap(addressesIn) ?? noAddresses
  const minded = (minds?.(rule) ?? noAddresses).filter((address) => !looked.includes(address))
  return readsOf(rule).find((address) => {
    const path = at(address)
    if (minded.includes(address)) return isWrongAbove(wrong, path, path.length - 1)
    const each = firstEach(path)
    // What is wrong in an element is not looked at with the element.
    const isOfElements = own.includes(address) || lists.some((list) => each >= 0 && sharesEach(path, list))
    return isOfElements && each >= 0
      ? isWrongAbove(wrong, path, each)
      : isWrongAt(wrong, path, callsOwn && rule.reads.includes(address))
  })
}
const noAddresses: readonly string[] = []

/** Whether two paths go to the elements of one list. */
function sharesEach(a: Path, b: Path): boolean {
  const each = firstEach(a)
  return each >= 0 && firstEach(b) === each && a.slice(0, each + 1).every((key, index) => key === b[index])
}

/**
 * The places that a rule inside of conditions speaks of; `undefined` if that is none. Conditions on the elements that the
 * rule looks at together select some of them; the others hold for the rule as a whole.
 */
function speaking(
  rule: AnyRule,
  during: readonly AnyCondition[],
  matter: RuleInput,
): RuleInput['speaksOf'] | undefined {
  const { scope, input, isWrong } = matter
  const at = (address: string) => pathOf(address, scope)
  const paths = ruleOf(rule).elements(rule).map(at)
  const isOfElements = (condition: AnyCondition) =>
    addressesIn(condition).some((address) => paths.some((path) => sharesEach(at(address), path)))
  const selecting = during.filter(isOfElements)
  const holdsAt = (condition: AnyCondition, place: Path) => holdingOf(condition, matter)(place)
  if (during.some((one) => !selecting.includes(one) && !holdsAt(one, scope.concrete))) return undefined
  if (selecting.length === 0) return always
  const looks = selecting.flatMap(addressesIn).map(at)
  const speaksOf = (place: Path): boolean | undefined => {
    // What is blamed outside of the list is blamed for the elements that are selected.
    if (!looks.some((path) => stepsShared(path, place).length > 0)) return true
    if (looks.some((path) => isWrong(settle(path, stepsShared(path, place))))) return undefined
    return selecting.every((one) => holdsAt(one, place))
  }
  const places = paths.filter((path) => looks.some((look) => sharesEach(look, path)))
  return places.some((path) => concrete(input, path).some((place) => speaksOf(place) !== false)) ? speaksOf : undefined
}

/** A path with these steps in place of its first `[]` and `{}`. */
function settle(path: Path, steps: Path): Path {
  let next = 0
  return path.map((key) => (isEach(key) ? (steps[next++] ?? key) : key))
}

const tellStep = ({ trace }: Run, { rule, reads }: AnyRule, came: Pick<Step, 'outcome' | 'because'>) =>
  trace?.steps.push({ stage: 'rules', name: `${rule} ${reads.join(' ')}`, ...came })

const notRun = (because: string): Pick<Step, 'outcome' | 'because'> => ({ outcome: 'not run', because })

/**
 * The places of faults, as a tree of their steps, so that a rule finds those that concern it however many there are.
 */
export interface WrongPlace {
  isFault: boolean
  /** Whether there are too few or too many of what lies there. */
  isCount: boolean
  below: Map<string | number, WrongPlace> | undefined
}

/** Where nothing is wrong. */
export const soundPlace: WrongPlace = { isFault: false, isCount: false, below: undefined }

function wrongPlaces(faults: readonly Pick<Fault, 'path' | 'code'>[], isLost: boolean): WrongPlace {
  const top: WrongPlace = { isFault: isLost, isCount: false, below: undefined }
  for (const fault of faults) {
    let place = top
    for (const key of fault.path) {
      place.below ??= new Map()
      let next = place.below.get(key)
      if (!next) {
        next = { isFault: false, isCount: false, below: undefined }
        place.below.set(key, next)
      }
      place = next
    }
    if (isOfCount(fault)) place.isCount = true
    else place.isFault = true
  }
  return top
}

/**
 * Whether a fault keeps a rule from reading a path: it lies there, or below, or at what holds the path. That there are too
 * few or too many says nothing of what is inside, unless that `counts`.
 */
function isWrongAt(place: WrongPlace, path: Path, counts = false, from = 0): boolean {
  const { isFault, isCount, below } = place
  if (isFault || (isCount && counts)) return true
  if (from === path.length) return isCount || below !== undefined
  if (!below) return false
  const key = path[from] as string | number
  if (isEach(key) || isFromEnd(key)) {
    for (const next of below.values()) if (isWrongAt(next, path, counts, from + 1)) return true
    return false
  }
  // The name of a secret stands in a fault as any name.
  const [next, secret] = [below.get(key), below.get(EACH_NAME)]
  return (
    (next !== undefined && isWrongAt(next, path, counts, from + 1)) ||
    (secret !== undefined && isWrongAt(secret, path, counts, from + 1))
  )
}

/** Whether a fault lies at one of the first so many steps of a path, or at what holds all. */
function isWrongAbove(top: WrongPlace, path: Path, steps: number): boolean {
  let place: WrongPlace | undefined = top
  for (let at = 0; place; at++) {
    if (place.isFault) return true
    if (at === steps) return false
    place = place.below?.get(path[at] as string | number) ?? place.below?.get(EACH_NAME)
  }
  return false
}
