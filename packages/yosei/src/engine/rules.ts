/**
 * Rules, on an input whose shape has been read. Each runs when all that it reads was read without error and, for most,
 * is present. First the values that are derived from others, then what must hold.
 */
import { addFault, type Fault, type Run } from '../kinds/run.js'
import { addressesIn, holdingOf } from '../rules/conditions.js'
import { concrete, type Matter, pathOf } from '../rules/matter.js'
import type { AnyRule } from '../rules/rule.js'
import { type PlacedRule, ruleOf } from '../rules/rules.js'
import { EACH, type Path, parseAddress, valueAt } from '../terms/address.js'
import type { Step } from '../terms/verdict.js'
import { fitting, hold } from './interpret.js'

/** Runs every rule that can run. */
export function runRules(
  rules: readonly PlacedRule[],
  matter: Omit<Matter, 'scope' | 'hold' | 'fit' | 'known' | 'run'> & {
    /** Whether somebody has said who is asking: where not, rules that look at it do not run. */
    readonly isKnown: boolean
  },
  run: Run,
): void {
  if (rules.length === 0) return
  // Spelt out, since a spread for each of many elements takes longer than their rules.
  const { root, sent, input, accept, isKnown } = matter
  const wrong = wrongPlaces(run.faults)
  const put = (path: Path, value: unknown) => hold(root, path, value, run)
  const fit = fitting(run)
  const derives = ({ rule }: PlacedRule) => ruleOf(rule).derives
  for (const { rule, base, declared, guards } of [...rules.filter(derives), ...rules.filter((one) => !derives(one))]) {
    if (!isKnown && base.length === 0 && readsOf(rule).some(isOfWho)) {
      tellStep(run, rule, notRun('nobody said who is asking'))
      continue
    }
    const known = new Map()
    const places = concrete(input, declared)
    if (places.length === 0) tellStep(run, rule, notRun('nothing was sent there'))
    for (const place of places) {
      if (!guards.every(({ path, value }) => valueAt(input, settle(path, place)) === value)) continue
      const scope = { base, declared, concrete: place }
      runRule(rule, { root, sent, input, accept, scope, hold: put, fit, known, run }, run, wrong)
    }
  }
}

/** What it needs to be sound: what it reads, and what its conditions look at. */
const readsOf = ({ reads, during }: AnyRule): readonly string[] =>
  during ? [...reads, ...during.flatMap(addressesIn)] : reads

const isOfWho = (address: string) => parseAddress(address)?.[0] === 'who'

/** A path whose first elements are those of another. */
const settle = (path: Path, base: Path): Path => path.map((key, index) => (key === EACH ? (base[index] ?? key) : key))

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
  const next = place.below.get(key)
  return next !== undefined && isWrongAt(next, path, from + 1)
}
