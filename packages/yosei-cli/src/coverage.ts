/** Which of what an intake demands has ever been tripped by a sample. */
import { foldAddress, type Intake, parseAddress } from 'yosei'
import { type Demanded, demandsOf } from 'yosei/probe'
import type { AnyVerdict } from './book/index.js'

interface Covered {
  readonly demand: Demanded
  count: number
}

interface Row {
  readonly endpoint: string
  readonly tripped: number
  readonly all: number
  readonly untripped: readonly Demanded[]
}

export class Coverage {
  readonly #endpoints = new Map<string, Map<string, Covered>>()

  constructor(app: Intake) {
    for (const name of Object.keys(app.endpoints)) this.#endpoints.set(name, new Map())
    for (const demand of demandsOf(app)) {
      const covered = this.#endpoints.get(demand.endpoint)
      const status = `status ${demand.status}`
      if (!covered?.has(status))
        covered?.set(status, {
          demand: { ...demand, address: '', code: String(demand.status), what: status },
          count: 0,
        })
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
      const found = covered.get(`${foldAddress(address)} ${code}`) ?? inTables(covered, address, code)
      if (found) found.count++
    }
  }

  /** What no verdict has tripped. */
  untripped(): Demanded[] {
    return this.#all().flatMap(({ demand, count }) => (count === 0 ? [demand] : []))
  }

  share(): number {
    const all = this.#all()
    return all.length === 0 ? 1 : all.filter(({ count }) => count > 0).length / all.length
  }
  #all(): Covered[] {
    return [...this.#endpoints.values()].flatMap((one) => [...one.values()])
  }

  /** By endpoint. */
  rows(): readonly Row[] {
    return [...this.#endpoints].map(([endpoint, covered]) => {
      const all = [...covered.values()]
      const untripped = all.flatMap(({ demand, count }) => (count === 0 ? [demand] : []))
      return { endpoint, tripped: all.length - untripped.length, all: all.length, untripped }
    })
  }

  json(): object {
    const all = this.#all()
    return {
      tripped: all.filter(({ count }) => count > 0).length,
      demands: all.map(({ demand, count }) => ({ ...demand, count })),
    }
  }
}

/** What was reported in a table, if addresses have names of their own. */
function inTables(covered: ReadonlyMap<string, Covered>, address: string, code: string): Covered | undefined {
  const came = parseAddress(address) ?? []
  for (const one of covered.values()) {
    const declared = one.demand.code === code ? (parseAddress(one.demand.address) ?? []) : []
    const leads = declared.every((step, at) => typeof step === 'number' || step === came[at])
    if (leads && declared.length === came.length && declared.length > 0) return one
  }
  return undefined
}
