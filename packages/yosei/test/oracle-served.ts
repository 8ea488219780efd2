// biome-ignore-all format: read as it is written
/** The oracle beside the engines behind `serve`: elements judged alone, rules that only observe, and rules after a lookup. */
import { endpoint, intake, type JournalEvent, serve } from 'yosei'
import { fieldOf, oracle, type RuleSpec, ruleOf, type Spec, show } from './oracle.ts'
import { addressesIn, type Case, count, decided, oneEach, ruleFrom, sensible, stream, valueFrom, withRules } from './oracle-cases.ts'
import { withCode } from './prepared.ts'

type On = { lookup(one: object): never; after(known: object, make: (found: object, on: never) => unknown): never }
interface Errors { readonly [address: string]: readonly { readonly code: string }[] }
const engines = ['compiled', 'interpreted', 'prepared'] as const

function declared(top: Spec, rules: readonly RuleSpec[], unlisted: Case['unlisted'], engine: (typeof engines)[number], journal?: object) {
  const [late, early] = [true, false].map((isLate) => rules.filter(({ role }) => (role === 'after') === isLate)) as [RuleSpec[], RuleSpec[]]
  const lookups = (on: On) => {
    const known = on.lookup({ reads: [], ask: () => true })
    return { known, late: on.after({ known }, (_, on) => late.map((rule) => ruleOf(rule, on))) }
  }
  const put = endpoint('PUT /', { body: fieldOf(top), rules: (on: never) => early.map((rule) => ruleOf(rule, on)), lookups, unlisted: { body: unlisted } } as never)
  const app = intake({ engine: engine === 'interpreted' ? engine : 'compiled', limits: { errors: 10_000 }, endpoints: { put }, journal } as never)
  return engine === 'prepared' ? withCode(app) : app
}
/** What follows a lookup is looked at when it runs: it is declared as the others are. */
const makesSense = (top: Spec, rules: readonly RuleSpec[], unlisted: Case['unlisted']): boolean =>
  sensible(() => declared(top, rules.map((rule) => (rule.role === 'after' ? { ...rule, role: undefined } : rule)), unlisted, 'compiled')) !== undefined
const told = (errors: readonly { readonly address: string; readonly code: string }[]) => errors.map(({ address, code }) => `${address} ${code}`).sort()

async function answered(app: ReturnType<typeof declared>, isPiecewise: boolean, body: string): Promise<{ input?: unknown; errors?: readonly string[] }> {
  let input: unknown
  const put = ({ body }: { body: { rows?: readonly { outcome: string; errors?: never }[] } }) => {
    const rows = isPiecewise ? body.rows?.map((one) => (one.errors ? { outcome: one.outcome, errors: told(one.errors) } : one)) : body.rows
    input = { body: rows ? { ...body, rows } : body }
  }
  const response = await serve(app, { put } as never)(new Request('https://kr.example/', { method: 'PUT', headers: { 'content-type': 'application/json' }, body }))
  if (response.status < 400) return { input }
  const { fields = {} } = (await response.json()) as { fields?: Errors }
  return { errors: Object.entries(fields).flatMap(([address, errors]) => errors.map(({ code }) => `${address} ${code}`)).sort() }
}

/** What differs between the engines and the oracle: nothing, or the case and what each says. */
export async function servedDifferences({ body, rules: ruled, sent, unlisted }: Case, item: Spec): Promise<readonly string[]> {
  const from = stream(ruled)
  const rows: Spec = { is: 'list', items: [{ ...item, optional: false, fallback: undefined, readOnly: undefined }], optional: from.take(2) === 0, piecewise: from.take(4) > 0 }
  const top = withRules({ is: 'record', fields: { ...Object.fromEntries(Object.entries(body).slice(0, from.take(2))), rows } }, from)
  if (!makesSense(top, [], unlisted)) return []
  const all = oneEach(addressesIn(top, 'body'))
  const inRows = all.filter(({ address }) => address.startsWith('body.rows['))
  const rules = Array.from({ length: 6 }, () => ruleFrom(from, inRows.length > 0 && from.take(4) > 0 ? inRows : all))
    .flatMap((rule) => (rule ? [{ ...rule, role: from.of([undefined, 'observed', 'after'] as const) }] : []))
    .filter((rule) => makesSense(top, [rule], unlisted))
  for (const { rule, role } of rules) {
    count(role ?? 'plain')
    count(`${rule} ${role ?? 'plain'}`)
  }
  const found: string[] = []
  for (const numbers of sent) {
    const json = JSON.stringify(valueFrom(stream(numbers), top, 'json'))
    const expected = decided(() => show(oracle({ parts: { body: top }, rules, sent: { body: JSON.parse(json) }, source: 'json', unlisted })))
    if (expected === undefined) continue
    count(expected.includes('"outcome":"rejected"') ? 'in part' : 'as a whole')
    for (const engine of engines) {
      const observed: string[] = []
      const journal = { write: ({ outcome, errors }: JournalEvent) => void (outcome === 'observed' && observed.push(...told(errors))) }
      const came = await answered(declared(top, rules, unlisted, engine, journal), rows.piecewise === true, json)
      const shown = show({ ...came, observed: observed.sort() })
      if (shown !== expected) found.push(`${JSON.stringify({ unlisted, top, rules, json })}\n  oracle ${expected}\n  ${engine} ${shown}`)
    }
  }
  return found
}
