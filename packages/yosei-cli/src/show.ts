/** Shows what an endpoint is: a sheet, its outline, or the code that is made for it; or all endpoints as a table. */
import { distance } from 'fastest-levenshtein'
import {
  codeOf,
  type Endpoint,
  type EndpointOutline,
  type FieldOutline,
  type Intake,
  type LookupOutline,
  outline,
  type RuleOutline,
} from 'yosei'
import { demandsOf } from 'yosei/probe'
import { Failure } from './failure.js'
import { branchesOf, isFields, isOutline, parts } from './outlined.js'
import { pc, shorten, visible, width, wrap } from './terminal.js'

/** @throws Failure if the intake has no endpoint of that name. */
export function endpointIn(app: Intake, name: string): Endpoint {
  const endpoint = Object.hasOwn(app.endpoints, name) ? app.endpoints[name] : undefined
  if (endpoint) return endpoint
  const [nearest] = Object.keys(app.endpoints).sort((a, b) => distance(name, a) - distance(name, b))
  throw new Failure(
    `${name}: the intake has no endpoint of this name; ${nearest === undefined ? 'it has none at all' : `the nearest is ${nearest}`}`,
  )
}

export function show(
  app: Intake,
  name: string | undefined,
  { format, code = false }: { readonly format: string; readonly code?: boolean },
): string {
  if (code && name === undefined) throw new Failure('--code is of one endpoint; name it behind the intake')
  const endpoint = name === undefined ? undefined : endpointIn(app, name)
  if (code && endpoint) return codeOf(endpoint)
  if (format === 'json') return JSON.stringify(outline(endpoint ?? app), null, 2)
  return endpoint && name !== undefined ? sheetOf(app, name) : tableOf(app)
}

function tableOf(app: Intake): string {
  const whole = outline(app)
  const rows = Object.entries(whole.endpoints).map(([name, endpoint]) => {
    const names = parts.flatMap((part) => Object.keys(endpoint[part]))
    const [body] = Object.values(endpoint.body)
    return {
      name,
      signature: `${endpoint.method} ${whole.base ?? ''}${endpoint.template}`,
      fields: `${names.length + (body ? fieldsIn(body) : 0)}`,
      rules: `${endpoint.rules.length}`,
      title: endpoint.title ?? '',
    }
  })
  const [names, signatures] = [
    Math.max(8, ...rows.map(({ name }) => name.length)),
    Math.max(9, ...rows.map(({ signature }) => signature.length)),
  ]
  return [
    ...(whole.title === undefined
      ? []
      : [pc.bold(visible(`${whole.title}${whole.version === undefined ? '' : ` ${whole.version}`}`)), '']),
    pc.gray(`${'endpoint'.padEnd(names)}  ${'request'.padEnd(signatures)}  fields  rules  title`),
    ...rows.map(({ name, signature, fields, rules, title }) => {
      const start = `${name.padEnd(names)}  ${signature.padEnd(signatures)}  ${fields.padStart(6)}  ${rules.padStart(5)}  `
      return `${pc.cyan(start.slice(0, names))}${start.slice(names)}${shorten(visible(title), Math.max(10, width - start.length))}`
    }),
  ].join('\n')
}

/** How many scalars and lists a body has. */
function fieldsIn({ fields = {}, branches, item }: FieldOutline): number {
  const inside = [...Object.values(fields), ...(isFields(branches) ? Object.values(branches) : [])]
  if (inside.length > 0) return inside.reduce((sum, one) => sum + fieldsIn(one), 0)
  return item ? fieldsIn(item) : 1
}

function sheetOf(app: Intake, name: string): string {
  const endpoint = outline(app.endpoints[name] as Endpoint)
  const base = outline(app).base ?? ''
  const sections = parts.flatMap((part) => {
    const fields = Object.entries(endpoint[part])
    return fields.length === 0
      ? []
      : ['', pc.bold(part), ...rowsOf(fields.flatMap(([field, one]) => linesOf(field, one, 1)))]
  })
  const bodies = Object.entries(endpoint.body).flatMap(([mediaType, one]) => [
    '',
    `${pc.bold('body')}  ${mediaType}`,
    ...rowsOf(bodyLines(one)),
  ])
  const definitions = Object.entries(endpoint.definitions ?? {}).flatMap(([definition, one]) => [
    '',
    `${pc.bold(definition)}  which is referred to`,
    ...rowsOf(bodyLines(one)),
  ])
  const rules = endpoint.rules.flatMap((rule) => [
    ...told(`${visible(rule.words)}${rule.mode === 'observe' ? ' (only logged)' : ''}`),
    ...fittedRows(rule),
  ])
  const lookups = Object.entries(endpoint.lookups).flatMap(([lookup, one]) => told(lookupText(lookup, one)))
  return [
    `${pc.bold(name)}  ${pc.cyan(`${endpoint.method} ${base}${endpoint.template}`)}`,
    ...[endpoint.title, endpoint.description].flatMap((text) => (text === undefined ? [] : [visible(text)])),
    ...(endpoint.who ? ['', pc.bold('caller'), ...rowsOf(bodyLines(endpoint.who))] : []),
    ...sections,
    ...bodies,
    ...definitions,
    ...(rules.length > 0 ? ['', pc.bold('rules'), ...rules] : []),
    ...(lookups.length > 0 ? ['', pc.bold('lookups'), ...lookups] : []),
    ...(endpoint.turn
      ? ['', pc.bold('turn'), `  one at a time of ${endpoint.turn.of}: ${endpoint.turn.by.join(', ')}`]
      : []),
    ...(endpoint.attested
      ? ['', pc.bold('attested'), '  a function says whether a message is genuine, before it is read']
      : []),
    '',
    pc.bold('statuses'),
    ...statusLines(app, name, endpoint),
  ].join('\n')
}

/** What a rule `fits` demands. */
const fittedRows = ({ rule, field }: RuleOutline): string[] =>
  rule === 'fits' && isOutline(field)
    ? rowsOf(field.kind === 'record' ? bodyLines(field) : linesOf('it', field, 1)).map((row) => `  ${row}`)
    : []

const told = (text: string) => wrap(text, 4).map((line, index) => `${' '.repeat(index === 0 ? 2 : 4)}${line}`)

const lookupText = (name: string, { reads, absent, refusal, fill, follows, mode, givesRules }: LookupOutline) => {
  if (givesRules) return `${name}: rules made of what ${(follows ?? []).join(', ')} found`
  const refused = refusal ? `${refusal.status} ${refusal.code}` : absent ? '409 already_there' : '422 not_found'
  return [
    `${name} asks about ${reads.join(', ')}`,
    ...(follows ? [`after ${follows.join(', ')}`] : []),
    ...(fill === undefined ? [] : [`fills ${fill}`]),
    `else ${refused}${mode === 'observe' ? ', only logged' : ''}`,
  ].join('; ')
}

interface Line {
  readonly name: string
  readonly kind: string
  readonly need: string
  readonly limits: string
}

/** The fields of a body; of another value the value itself. */
const bodyLines = (of: FieldOutline): Line[] =>
  of.fields
    ? [...Object.entries(of.fields).flatMap(([name, one]) => linesOf(name, one, 1)), ...ruleLines(of, 1)]
    : linesOf('', of, 1)

function linesOf(name: string, of: FieldOutline, depth: number): Line[] {
  const indent = '  '.repeat(depth)
  const own: Line = { name: `${indent}${name}`, kind: kindText(of), need: needText(of), limits: limitsText(of) }
  const inside = ([field, one]: [string, FieldOutline]) => linesOf(field, one, depth + 1)
  if (of.base) {
    const [first, ...rest] = linesOf(name, of.base, depth)
    if (!first) return [own]
    // A JSON Schema says more than its field: it stands in the JSON form.
    const about =
      of.kind === 'schema'
        ? { kind: first.kind, need: own.need, limits: 'and what its JSON Schema says' }
        : { kind: `${first.kind}, read on`, need: first.need, limits: `code ${of.code}` }
    return [{ ...first, ...about, limits: [first.limits, about.limits].filter(Boolean).join(', ') }, ...rest]
  }
  const fields = Object.entries(of.fields ?? {}).flatMap(inside)
  const item = of.item ? elementLines(of.item, `${indent}  []`, depth) : []
  const value = isOutline(of.value) ? elementLines(of.value, `${indent}  {}`, depth) : []
  const items = (of.items ?? []).flatMap((one, index) => linesOf(`[${index}]`, one, depth + 1))
  const branches = isFields(of.branches)
    ? Object.entries(of.branches).flatMap(([branch, one]) => [
        { name: `${indent}  ${of.tag} = ${branch}`, kind: '', need: '', limits: '' },
        ...Object.entries(one.fields ?? {}).flatMap(([field, two]) => linesOf(field, two, depth + 2)),
      ])
    : branchesOf(of).flatMap((one, index) => linesOf(`or ${index + 1}`, one, depth + 1))
  return [own, ...fields, ...ruleLines(of, depth + 1), ...item, ...value, ...items, ...branches]
}

/** What stands in each element: its fields right below, of a record. */
const elementLines = (of: FieldOutline, name: string, depth: number): Line[] =>
  of.fields
    ? [
        ...Object.entries(of.fields).flatMap(([field, one]) => linesOf(field, one, depth + 1)),
        ...ruleLines(of, depth + 1),
      ]
    : [{ ...(linesOf('', of, depth + 1)[0] as Line), name }, ...linesOf('', of, depth + 1).slice(1)]

const ruleLines = ({ rules = [] }: FieldOutline, depth: number): Line[] =>
  rules.map(({ words }) => ({ name: `${'  '.repeat(depth)}${words}`, kind: 'rule', need: '', limits: '' }))

const kindText = ({ kind, item, nullable, secret }: FieldOutline): string =>
  [item ? `list of ${item.kind}` : kind, ...(nullable ? ['or null'] : []), ...(secret ? ['secret'] : [])].join(', ')
const needText = ({ need, default: value, computed, readOnly }: FieldOutline): string =>
  readOnly
    ? 'set by the server'
    : need === 'defaulted'
      ? `default ${computed ? 'computed' : JSON.stringify(value)}`
      : need

/** What is said already, or of what lies below. */
const saidElsewhere = new Set(
  'kind need nullable secret default computed readOnly title description examples deprecated name messages fields item value items branches base rules tag titles read code message key write advice relative'.split(
    ' ',
  ),
)
const moments: { readonly [limit: string]: string | undefined } = { from: 'not before', until: 'not after' }
function limitsText(of: FieldOutline): string {
  const limits = Object.entries(of).flatMap(([name, value]) => {
    if (saidElsewhere.has(name) && !(name === 'value' && of.kind === 'constant')) return []
    const moment = moments[name]
    if (moment !== undefined && (of.kind === 'instant' || of.kind === 'day'))
      return [`${moment} ${of.relative?.[name as 'from' | 'until'] ?? value}`]
    if (name === 'length' && Array.isArray(value))
      return [`length ${value[0]}–${Number.isFinite(value[1]) ? value[1] : ''}`]
    if (value === true) return [name]
    if (Array.isArray(value)) return [`${name === 'values' ? '' : `${name} `}${value.join(' | ')}`]
    return [`${name} ${isOutline(value) ? JSON.stringify(value) : value}`]
  })
  return limits.join(', ')
}

/** Columns as wide as they need to be, the limits behind them. */
function rowsOf(lines: readonly Line[]): string[] {
  const fields = lines.filter(({ kind }) => kind !== 'rule')
  const widthOf = (of: (line: Line) => string, most: number) =>
    Math.min(most, Math.max(0, ...fields.map((line) => of(line).length)))
  const [names, kinds, needs] = [
    widthOf(({ name }) => name, 34),
    widthOf(({ kind }) => kind, 22),
    widthOf(({ need }) => need, 24),
  ]
  return lines.flatMap(({ name, kind, need, limits }) => {
    if (kind === 'rule') {
      const indent = (/^ */.exec(name)?.[0] ?? '').length
      return wrap(visible(name.trim()), indent + 2).map(
        (line, index) => `${' '.repeat(indent + (index === 0 ? 0 : 2))}${pc.gray(line)}`,
      )
    }
    const start = `${shorten(visible(name), names).padEnd(names)}  ${shorten(kind, kinds).padEnd(kinds)}  ${shorten(visible(need), needs).padEnd(needs)}  `
    return [
      `${pc.cyan(start.slice(0, names))}${start.slice(names)}${shorten(visible(limits), Math.max(10, width - start.length))}`.trimEnd(),
    ]
  })
}

function statusLines(app: Intake, name: string, { success }: EndpointOutline): string[] {
  const byStatus = new Map<number, Set<string>>()
  for (const { endpoint, status, address } of demandsOf(app)) {
    if (endpoint !== name) continue
    const part = /^\w*/.exec(address)?.[0] ?? ''
    byStatus.set(status, (byStatus.get(status) ?? new Set()).add(part))
  }
  const rows = [...byStatus]
    .sort(([a], [b]) => a - b)
    .map(([status, parts]) => `  ${pc.yellow(String(status))}  ${[...parts].filter(Boolean).join(', ')}`)
  const own = new Set(byStatus.keys())
  const general = [400, 405, 408, 413, 414, 417, 431, 500, 501, 503].filter((status) => !own.has(status))
  return [`  ${pc.green(String(success))}  accepted`, ...rows, pc.gray(`  ${general.join(' ')}  as any request`)]
}
