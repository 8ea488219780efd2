/** Values for a path that are worth a try: what its declaration takes, and what conditions hold it against. */
import { sumOf } from '../grammar/numbers.js'
import { readDuration, readInstant, readTimeOfDay, writeDuration } from '../grammar/times.js'
import type { Measure } from '../kinds/kind.js'
import { nodesAt, shapesAt } from '../kinds/locate.js'
import type { AnyCondition, ConditionName, Conditions } from '../rules/condition.js'
import { measuresAt, toldAt } from '../rules/measure.js'
import { isOther } from '../rules/other.js'
import type { Path } from '../terms/address.js'
import { gone } from './demands.js'
import { make } from './make.js'
import { day, dayText, momentText } from './moments.js'
import { greatest, least, tried } from './pick.js'
import type { Trial } from './trial.js'

/** What the declaration at a path takes, and what lies at the literals that it is compared with. */
export function valuesAt(trial: Trial, path: Path, literals: readonly unknown[]): unknown[] {
  const values: unknown[] = []
  for (const literal of literals) {
    const told = toldAt(trial.root, path, literal)
    values.push(told)
    if (typeof told === 'number' || typeof told === 'string') {
      const unit = unitAt(trial, path)
      for (const by of [unit, -unit]) values.push(shifted(told, trial, path, by))
    }
  }
  for (const node of nodesAt(trial.root, path)) {
    const picks = [least, greatest, trial.making.random, trial.making.random]
    for (const pick of picks) {
      const made = tried(() => make(node, { ...trial.making, pick }))
      if (made !== undefined) values.push(made)
    }
    if (node.need !== 'required') values.push(gone)
  }
  return values
}

/** Another value, so far from one. */
export function shifted(value: unknown, trial: Trial, path: Path, by: number): unknown {
  if (typeof value === 'number') return Number((value + by).toPrecision(15))
  if (typeof value !== 'string') return value
  return tried(() => shiftedText(value, measuresAt(trial.root, path), by)) ?? value
}
/** A union may measure by what this text is not. */
function shiftedText(text: string, measures: readonly Measure[], by: number): string | undefined {
  if (measures.includes('instant')) return momentText(Number(readInstant(text)) + by)
  if (measures.includes('date')) return dayText(Date.parse(text) + by)
  if (measures.includes('duration')) return writeDuration(Math.max(0, (readDuration(text) ?? 0) + by))
  if (measures.includes('time of day'))
    return momentText((Number(readTimeOfDay(text)) + by + day) % day).slice('1970-01-01T'.length, -1)
  return measures.includes('number') ? sumOf([text, String(by)]) : undefined
}
/** The least that two values at a path can be apart. */
export const unitAt = (trial: Trial, path: Path): number => {
  const measures = measuresAt(trial.root, path)
  if (measures.includes('date')) return day
  if (measures.some((one) => one === 'instant' || one === 'duration' || one === 'time of day')) return 60_000
  return (shapesAt(trial.root, path).find((shape) => 'step' in shape) as { step?: number } | undefined)?.step ?? 1
}

type Literals = Map<string, unknown[]>
type Gather = (condition: AnyCondition, found: Literals) => void
const gathered: { readonly [C in ConditionName]: (condition: Conditions[C], found: Literals, gather: Gather) => void } =
  {
    is: ({ address, value }, found) => add(found, address, [value]),
    in: ({ address, values }, found) => add(found, address, values),
    above: ({ address, value }, found) => add(found, address, [value]),
    below: ({ address, value }, found) => add(found, address, [value]),
    sent: () => undefined,
    accepts: () => undefined,
    suits: ({ address, field }, found) => add(found, address, field.kind === 'choice' ? field.values : []),
    all: ({ of }, found, gather) => gatherAll(of, found, gather),
    any: ({ of }, found, gather) => gatherAll(of, found, gather),
    not: ({ of }, found, gather) => gather(of, found),
  }
function gatherAll(of: readonly AnyCondition[], found: Literals, gather: Gather): void {
  for (const one of of) gather(one, found)
}
const add = (found: Literals, address: string, values: readonly unknown[]) =>
  void found.set(address, [...(found.get(address) ?? []), ...values.filter((value) => !isOther(value))])

/** What conditions hold each address against. */
export function literalsIn(conditions: readonly AnyCondition[]): ReadonlyMap<string, readonly unknown[]> {
  const found: Literals = new Map()
  const gather: Gather = (one) => (gathered[one.condition] as (...given: unknown[]) => void)(one, found, gather)
  for (const one of conditions) gather(one, found)
  return found
}
