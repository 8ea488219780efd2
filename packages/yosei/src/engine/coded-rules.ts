/**
 * Rules that are judged by code. It judges those whose reads are sound, and hands what it cannot say to the interpreter,
 * as what reads something wrong. A page has nothing of it.
 */
import type { Fault } from '../kinds/run.js'
import type { PlacedRule } from '../rules/rules.js'
import { EACH, EACH_NAME, isFromEnd, type Path, parseAddress } from '../terms/address.js'
import {
  derives,
  type Interpreter,
  interpreterOf,
  type Judging,
  judges,
  readsOf,
  runRules,
  soundPlace,
} from './rules.js'

/** Judges the rules of an endpoint. */
export type RuleJudge = (judging: Judging) => void

/** The judge that has this code: see `emitRules`. */
export const codedRules =
  (code: RuleJudge): RuleJudge =>
  (judging) => {
    const { run, placed, found, isLost } = judging
    if (isLost) {
      runRules(judging)
      return
    }
    if (found > 0) judging.barred = barredBy(run.faults, placed.rules)
    if (placed.unplaced.length === 0) {
      code(judging)
      return
    }
    const { judgeUnplaced } = interpreterOf(judging)
    judgeUnplaced(derives)
    code(judging)
    judgeUnplaced(judges)
  }

/** Stands for what a rule's own function has not said. */
export const unset = /* @__PURE__ */ Symbol('unset')

/** Interprets one rule for the code: wherever it is placed; or at one place, with what its own function has said there. */
export function interpretRule(judging: Judging, index: number, place?: Path, own?: unknown): void {
  const interpreter = interpreterOf(judging)
  const one = judging.placed.rules[index] as PlacedRule
  if (!place) {
    interpreter.judgePlaced(one)
    return
  }
  const { rule, root, base, declared, scope = { base, declared, concrete: place, input: judging.input } } = one
  const within = judging.barred?.[index] ? interpreter.wrong : soundPlace
  const result = own === unset ? undefined : { result: own }
  interpreter.judge(rule, root, scope, knownOf(interpreter, index), within, result)
}

const knowns = new WeakMap<Interpreter, Map<unknown, unknown>[]>()
/** What was worked out for a rule, at whichever of its places. */
function knownOf(interpreter: Interpreter, index: number): Map<unknown, unknown> {
  const all = knowns.get(interpreter) ?? []
  if (all.length === 0) knowns.set(interpreter, all)
  all[index] ??= new Map()
  return all[index]
}

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
      for (const step of [...base, ...(parseAddress(address) ?? [])]) {
        // Which one it is, only the input tells.
        const key = isFromEnd(step) ? EACH : step
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
  for (const fault of faults) bar(top, fault, 0, barred)
  return barred
}

/** A fault keeps a rule from reading what lies there, or below, or what holds the fault. */
function bar({ here, within, below }: Read, fault: Fault, from: number, barred: boolean[]): void {
  const { path } = fault
  for (const index of from === path.length ? within : here) barred[index] = true
  const key = path[from]
  if (key === undefined) return
  // The name of a secret stands in a fault as any name.
  if (key === EACH_NAME) for (const next of below.values()) bar(next, fault, from + 1, barred)
  else {
    barBelow(below.get(key), fault, from, barred)
    barBelow(below.get(EACH_NAME), fault, from, barred)
    barBelow(below.get(EACH), fault, from, barred)
  }
}

function barBelow(next: Read | undefined, fault: Fault, from: number, barred: boolean[]): void {
  if (next) bar(next, fault, from + 1, barred)
}
