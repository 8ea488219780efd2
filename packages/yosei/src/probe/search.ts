/** Looks for changes of a request that break one thing, or mend all. */
import { isNamed } from '../kinds/run.js'
import type { AnyCondition } from '../rules/condition.js'
import { addressesIn } from '../rules/conditions.js'
import { type Path, parseAddress, tellAddress, valueAt, withIndices } from '../terms/address.js'
import { type Demand, gone } from './demands.js'
import { make } from './make.js'
import { tried } from './pick.js'
import { type Place, toldPath } from './places.js'
import { type Edit, editsFor, given, type Spot, variablesOf } from './rules.js'
import type { Came, Tree, Trial } from './trial.js'
import { literalsIn, valuesAt } from './values.js'
import { pathIn, replaced, wayTo } from './ways.js'

/** So many requests are tried for one thing. */
const mostTries = 600
/** So many for what was looked for already, from elsewhere. */
export const someTries = 150
/** And so many for what need not be found. */
export const fewTries = 40

/** The values that may be changed: not those at a place that has to stay, nor what holds it. */
type Held = readonly Path[]
const touches = (path: Path, held: Held) =>
  held.some((one) => one.slice(0, path.length).join('\n') === path.slice(0, one.length).join('\n'))

/** The tree with a change; `undefined` if it touches what has to stay, or cannot be. */
export function changed(trial: Trial, tree: Tree, edit: Edit, held: Held): Tree | undefined {
  let made: unknown = tree
  for (const [path, value] of edit) {
    if (touches(path, held)) return undefined
    if (value === gone) {
      if (valueAt(made, path) !== undefined) made = replaced(made, path, gone)
      continue
    }
    if (value === given && valueAt(made, path) !== undefined) continue
    // An undeclared name is put into what is there to hold it.
    const holder = path.length > 1 ? valueAt(made, path.slice(0, -1)) : undefined
    const isHeldThere =
      value !== given && (Array.isArray(holder) ? Number(path.at(-1)) <= holder.length : isNamed(holder))
    if (!isHeldThere) {
      const way = wayTo(trial.root, path, made)
      if (!way) return undefined
      const holding = made as Tree
      made = tried(() => trial.reached(holding, way))
      // Another branch of a union takes the place of what has to stay.
      if (!made || held.some((one) => valueAt(made, one) !== valueAt(holding, one))) return undefined
    }
    if (value !== given) made = replaced(made, path, value)
  }
  return made as Tree
}

/** The tree with a demand broken at its place, in ways that are reported at the address; judged where only that can tell. */
export function* spoilt(
  trial: Trial,
  tree: Tree,
  place: Place,
  demand: Demand,
  isJudged: boolean,
): Generator<{ readonly tree: Tree; readonly address: string }> {
  const path = pathIn(place.way, tree)
  const address = tellAddress(toldPath(place, demand, path))
  const making = { ...trial.making, source: place.around.source }
  for (const value of demand.broken(() => valueAt(tree, path) ?? make(place.node, making), making)) {
    const made = replaced(tree, path, value) as Tree
    const isTold = ({ code, path }: Came['faults'][number]) => code === demand.code && tellAddress(path) === address
    if (!isJudged || trial.judge(made)?.faults.some(isTold)) yield { tree: made, address }
  }
}

/** Changes of a tree that concern some rules, the likely ones first. */
function* tries(trial: Trial, tree: Tree, spots: readonly Spot[]): Generator<Edit> {
  for (const spot of spots) yield* editsFor(spot, trial, tree)
  const variables = spots.flatMap((spot) => [...variablesOf(spot, trial, tree)])
  yield* combined(variables)
}

interface Variable {
  readonly path: Path
  readonly values: readonly unknown[]
}
/** One value after the other, then two at once. */
function* combined(variables: readonly Variable[]): Generator<Edit> {
  for (const { path, values } of variables) for (const value of values) yield [[path, value]]
  for (const [index, first] of variables.entries())
    for (const second of variables.slice(index + 1))
      for (const a of first.values)
        for (const b of second.values)
          yield [
            [first.path, a],
            [second.path, b],
          ]
}

/**
 * A change after which something is wrong, and nothing else if that can be had; edits of two rules at once where one
 * does not do.
 */
export function broken(trial: Trial, tree: Tree, spot: Spot, isMeant: (came: Came) => boolean): Tree | undefined {
  let second: Tree | undefined
  let count = 0
  const test = (made: Tree | undefined): Tree | undefined => {
    const came = made && trial.judge(made)
    if (!came || !isMeant(came)) return undefined
    if (came.faults.length === 1) return made
    second ??= made
    return undefined
  }
  for (const edit of tries(trial, tree, [spot])) {
    if (++count > mostTries) break
    const made = changed(trial, tree, edit, [])
    const found = test(made)
    if (found) return found
    // The likely ones may need a condition to hold as well.
    if (made && count < 30 && (spot.rule.during || 'when' in spot.rule))
      for (const { path, values } of variablesOf(spot, trial, made))
        for (const value of values) {
          count++
          const further = changed(
            trial,
            made,
            [[path, value]],
            edit.map(([one]) => one),
          )
          const then = test(further)
          if (then) return then
        }
  }
  return second
}

/** The same request with nothing wrong; `undefined` if it is not found. What is at the held paths stays. */
export function mended(
  trial: Trial,
  tree: Tree,
  rules: readonly Spot[],
  held: Held,
  most = mostTries,
): Tree | undefined {
  const { may } = trial.endpoint
  const isOutside = (one: Came | undefined) => one?.faults.some(({ code }) => code === 'not_allowed')
  let now = tree
  let came = trial.judge(now)
  if (may && isOutside(came)) {
    now = turned(trial, now, may, (one) => !isOutside(one)) ?? now
    came = trial.judge(now)
  }
  // No change for a rule's sake mends what is wrong with a value.
  if (came?.faults.some(({ stage }) => stage !== 'rules')) return undefined
  let count = 0
  while (came && came.faults.length > 0) {
    const { failed, faults } = came
    const spots = rules.filter(({ rule }) => failed.has(rule))
    let better: { readonly tree: Tree; readonly came: Came } | undefined
    for (const edit of tries(trial, now, spots)) {
      if (++count > most) return undefined
      const made = changed(trial, now, edit, held)
      const next = made && trial.judge(made)
      // What is only wrong in another way is no mend.
      if (!next || next.faults.length >= faults.length || next.faults.some(({ stage }) => stage !== 'rules')) continue
      better = { tree: made, came: next }
      break
    }
    if (!better) return undefined
    now = better.tree
    came = better.came
  }
  return came ? now : undefined
}

/** A change after which a condition on the caller, and on the head, does not hold; or after which it does. */
export function turned(
  trial: Trial,
  tree: Tree,
  condition: AnyCondition,
  isMeant: (came: Came) => boolean,
): Tree | undefined {
  const literals = literalsIn([condition])
  const variables = addressesIn(condition).map((address) => {
    const path = withIndices(tree, parseAddress(address) ?? [])
    return { path, values: valuesAt(trial, path, literals.get(address) ?? []) }
  })
  let count = 0
  for (const edit of combined(variables)) {
    if (++count > mostTries) return undefined
    const made = changed(trial, tree, edit, [])
    const came = made && trial.judge(made)
    if (came && isMeant(came)) return made
  }
  return undefined
}
