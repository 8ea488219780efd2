/** Which of what an intake demands has ever been tripped by a sample. */
import type { Intake } from 'yosei'
import { type Demanded, demandsOf } from 'yosei/probe'
import type { AnyVerdict } from './book/index.js'
import { bar, pc, plural, shorten, visible, width } from './terminal.js'

interface Covered {
  readonly demand: Demanded
  count: number
}

export class Coverage {
  readonly #endpoints = new Map<string, Map<string, Covered>>()

  constructor(app: Intake) {
    for (const name of Object.keys(app.endpoints)) this.#endpoints.set(name, new Map())
    for (const demand of demandsOf(app)) {
      const covered = this.#endpoints.get(demand.endpoint)
      const statusKey = `status ${demand.status}`
      if (!covered?.has(statusKey))
        covered?.set(statusKey, { demand: { ...demand, address: '', code: String(demand.status) }, count: 0 })
      // What goes without saying is no choice of the declaration.
      if (!demand.isImplied) covered?.set(`${demand.address} ${demand.code}`, { demand, count: 0 })
    }
  }

  /** Counts what a verdict has tripped. */
  add(verdict: AnyVerdict): void {
    const covered = this.#endpoints.get(verdict.endpoint ?? '')
    if (!covered || verdict.outcome !== 'rejected') return
    const status = covered.get(`status ${verdict.status}`)
    if (status) status.count++
    for (const { address, code } of verdict.errors) {
      const found = covered.get(`${folded(address)} ${code}`) ?? inTables(covered, address, code)
      if (found) found.count++
    }
  }

  share(): number {
    const all = this.#all()
    return all.length === 0 ? 1 : all.filter(({ count }) => count > 0).length / all.length
  }
  #all(): Covered[] {
    return [...this.#endpoints.values()].flatMap((one) => [...one.values()])
  }

  text(): string {
    const names = Math.max(0, ...[...this.#endpoints.keys()].map((name) => name.length))
    const lines = [...this.#endpoints].flatMap(([name, covered]) => {
      const all = [...covered.values()]
      const tripped = all.filter(({ count }) => count > 0).length
      const head = `${name.padEnd(names)}  ${pc.green(bar(all.length === 0 ? 1 : tripped / all.length, 24))} ${percent(tripped, all.length)}  ${pc.gray(`${tripped} of ${all.length}`)}`
      return [head, ...untripped(all)]
    })
    const all = this.#all()
    const tripped = all.filter(({ count }) => count > 0).length
    return [
      ...lines,
      '',
      `${pc.bold(percent(tripped, all.length).trim())} tripped: ${tripped} of ${plural(all.length, 'demand')}`,
    ].join('\n')
  }

  json(): object {
    const all = this.#all()
    return {
      tripped: all.filter(({ count }) => count > 0).length,
      demands: all.map(({ demand, count }) => ({ ...demand, count })),
    }
  }
}

const percent = (part: number, all: number) => `${(all === 0 ? 100 : (100 * part) / all).toFixed(0)} %`.padStart(5)

/** What was never tripped, a line for each address. */
function untripped(all: readonly Covered[]): string[] {
  const byAddress = new Map<string, string[]>()
  for (const { demand, count } of all)
    if (count === 0) byAddress.set(demand.address, [...(byAddress.get(demand.address) ?? []), demand.code])
  byAddress.get('')?.sort()
  return [...byAddress].map(([address, codes]) => {
    const where = visible(address === '' ? 'statuses' : address)
    return `    ${pc.cyan(where)}  ${pc.gray(shorten(visible(codes.join(' ')), Math.max(10, width - 6 - where.length)))}`
  })
}

/** An address with `[]` for each element. */
const folded = (address: string) => address.replace(/\[\d+\]/g, '[]')

/** What was told at a name of a table, or at one that nobody declared. */
function inTables(covered: ReadonlyMap<string, Covered>, address: string, code: string): Covered | undefined {
  const steps = stepsOf(folded(address))
  for (const one of covered.values()) {
    if (one.demand.code !== code) continue
    const declared = stepsOf(one.demand.address)
    const last = declared.length - 1
    const isNamed = code === 'unlisted' || (code === 'wrong_pattern' && one.demand.what.startsWith('names '))
    const fits =
      declared.length === steps.length &&
      declared.every((step, at) => step === steps[at] || step === '{}' || (isNamed && at === last))
    if (fits) return one
  }
  return undefined
}
const stepsOf = (address: string): string[] => address.match(/\[\]|\{\}|\["(?:[^"\\]|\\.)*"\]|[^.[{]+/g) ?? []
