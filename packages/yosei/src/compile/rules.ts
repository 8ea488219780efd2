/** Rules, on an input whose shape has been read. Each runs when all that it reads is present and was read without error. */
import { EACH, formatAddress, type Path, parseAddress, valueAt } from '../declare/address.js'
import { isSecret, nodesAt } from '../declare/locate.js'
import type { Node } from '../declare/node.js'
import type { AnyRule } from '../declare/rules.js'
import { canonical } from './canonical.js'
import type { Parts } from './engine.js'
import { compareDecimals } from './numbers.js'
import { addFault, type Fault, type Run, type Step } from './run.js'
import { writeInstant } from './times.js'

/** What rules are judged on; `root` declares the parts. */
interface Matter {
  readonly root: Node
  readonly sent: Parts
  readonly input: Parts
}

/** Runs every rule that can run. */
export function runRules(rules: readonly AnyRule[], matter: Matter, run: Run): void {
  if (rules.length === 0) return
  const shape = run.faults.slice()
  for (const rule of rules) {
    // With faults beyond those that are kept, nobody can say what a rule would read.
    const barred = rule.reads.find((address) => run.beyond > 0 || shape.some((fault) => bars(fault, pathOf(address))))
    const lacking =
      rule.rule === 'atLeastOne' ? undefined : rule.reads.find((address) => valueAt(matter.input, pathOf(address)) === undefined)
    const found = barred === undefined && lacking === undefined ? judgeRule(rule, matter) : []
    for (const fault of found) addFault(run, fault)
    run.trace?.steps.push({
      stage: 'rules',
      name: `${rule.rule} ${rule.reads.join(' ')}`,
      ...(barred !== undefined
        ? notRun(`${barred} is wrong`)
        : lacking !== undefined
          ? notRun(`${lacking} was not sent`)
          : { outcome: found.length > 0 ? 'failed' : 'passed' }),
    })
  }
}

const notRun = (because: string): Pick<Step, 'outcome' | 'because'> => ({ outcome: 'not run', because })

const paths = new Map<string, Path>()

/** The path of a declared address, taken apart once. */
function pathOf(address: string): Path {
  const path = paths.get(address) ?? (parseAddress(address) as Path)
  paths.set(address, path)
  return path
}

/** Whether a fault keeps a rule from reading a path: it lies there, or below, or at what holds the path. */
function bars({ path: faulty }: Fault, path: Path): boolean {
  const shared = Math.min(faulty.length, path.length)
  for (let i = 0; i < shared; i++) if (path[i] !== faulty[i] && !(path[i] === EACH && typeof faulty[i] === 'number')) return false
  return true
}

function judgeRule(rule: AnyRule, matter: Matter): readonly Fault[] {
  switch (rule.rule) {
    case 'atLeastOne':
      return rule.reads.some((address) => isPresent(matter.sent, pathOf(address))) ? [] : blameAll(rule, matter, { addresses: rule.reads })
    case 'check': {
      const values = rule.reads.map((address) => valueAt(matter.input, pathOf(address)))
      return rule.holds(...(values as never[])) ? [] : blameAll(rule, matter)
    }
    case 'ascending':
      return compare(rule, matter, (order) => (rule.orEqual ? order <= 0 : order < 0), rule.orEqual ? 'orEqual' : undefined)
    case 'equal':
      return compare(rule, matter, (order) => order === 0)
    default:
      return rule satisfies never
  }
}

/** Whether anything was sent there. An empty text counts as absent where text is read. */
function isPresent(sent: Parts, path: Path): boolean {
  const found = [valueAt(sent, path)].flat(path.includes(EACH) ? Number.POSITIVE_INFINITY : 0)
  return found.some((value) => value !== undefined && !(value === '' && path[0] !== 'body'))
}

const fault = (rule: AnyRule, path: Path, rest: Partial<Fault>): Fault => ({
  path,
  stage: 'rules',
  code: rule.code,
  messages: rule.message,
  ...rest,
})

const blameAll = (rule: AnyRule, { input }: Matter, about = {}): Fault[] =>
  rule.blames.flatMap((address) => concrete(input, pathOf(address), []).map((path) => fault(rule, path, { about })))

/** Below, at or above zero as `a` comes before, with or after `b`; NaN where they have no order and differ. */
function order(a: unknown, b: unknown, exact: boolean): number {
  if (exact) return compareDecimals(String(a), String(b))
  if (a instanceof Date && b instanceof Date) return a.getTime() - b.getTime()
  if (typeof a === 'object' || typeof b === 'object') return canonical(a) === canonical(b) ? 0 : Number.NaN
  return a === b ? 0 : (a as number) < (b as number) ? -1 : (a as number) > (b as number) ? 1 : Number.NaN
}
const isNone = (value: unknown) => value === undefined || value === null

/** Compares two addresses, element by element where both lie under the same `[]`. */
function compare(rule: AnyRule, { root, input }: Matter, holds: (order: number) => boolean, variant?: string): Fault[] {
  const [first, second] = rule.reads.map(pathOf) as [Path, Path]
  const faults: Fault[] = []
  const exact = nodesAt(root, first).some((node) => node.kind === 'decimal')
  /** A value, where it may be echoed. */
  const echo = <K extends string>(key: K, path: Path) => (isSecret(root, path) ? {} : { [key]: shown(valueAt(input, path)) })
  for (const right of concrete(input, second, [])) {
    for (const left of concrete(input, first, indicesShared(first, right))) {
      const [a, b] = [valueAt(input, left), valueAt(input, right)]
      if (isNone(a) || isNone(b) || holds(order(a, b, exact))) continue
      for (const blamed of rule.blames.map(pathOf)) {
        const other = formatAddress(blamed) === formatAddress(first) ? right : left
        const worded =
          b instanceof Date ? { variant: variant === undefined ? 'instant' : 'instantOrEqual' } : variant === undefined ? {} : { variant }
        for (const path of concrete(input, blamed, indicesShared(blamed, right))) {
          faults.push(
            fault(rule, path, { ...worded, about: { other: formatAddress(other), ...echo('value', other) }, ...echo('sent', path) }),
          )
        }
      }
    }
  }
  return faults
}

const shown = (value: unknown) => (value instanceof Date ? writeInstant(value) : value)

/** The indices of `right` under those `[]` that both paths have in common. */
function indicesShared(path: Path, right: Path): number[] {
  const indices: number[] = []
  for (let i = 0; i < Math.min(path.length, right.length); i++) {
    if (path[i] === EACH && typeof right[i] === 'number') indices.push(right[i] as number)
    else if (path[i] !== right[i]) break
  }
  return indices
}

/** The paths that an address with `[]` stands for in this input; the first indices may be settled already. */
function concrete(input: Parts, path: Path, settled: readonly number[]): Path[] {
  const at = path.indexOf(EACH)
  if (at < 0) return [path]
  const elements = valueAt(input, path.slice(0, at))
  const indices = settled.length > 0 ? settled.slice(0, 1) : Array.isArray(elements) ? [...elements.keys()] : []
  return indices.flatMap((index) => concrete(input, [...path.slice(0, at), index, ...path.slice(at + 1)], settled.slice(1)))
}
