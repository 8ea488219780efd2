/** Endpoints whose parts, rules, lookups and turn make no sense together are refused where they are declared. */

import { type BodyNode, type EndpointNode, rootOf } from '../declare/endpoint.js'
import { everyRule, piecewiseAt } from '../declare/place.js'
import { encode, faultsOf } from '../engine/interpret.js'
import { readsOf } from '../engine/rules.js'
import { readMediaRange } from '../grammar/media-range.js'
import { childrenOf } from '../kinds/brought.js'
import type { Node } from '../kinds/kind.js'
import { nodesAt, shapesAt } from '../kinds/locate.js'
import type { RecordNode } from '../kinds/record.js'
import { anywhere, sentShape } from '../kinds/shape.js'
import { syntaxOf } from '../read/syntax.js'
import { ruleInService, ruleOf } from '../rules/brought.js'
import { deepest } from '../rules/by.js'
import type { AnyCondition, ConditionName, Conditions } from '../rules/condition.js'
import { addressesIn, mistakeIn } from '../rules/conditions.js'
import { strays } from '../rules/input.js'
import { measuresAt } from '../rules/measure.js'
import { isOther } from '../rules/other.js'
import type { AnyRule } from '../rules/rule.js'
import { addressesOf, type PlacedRule } from '../rules/rules.js'
import {
  EACH,
  firstEach,
  formatAddress,
  indexFromEnd,
  isEach,
  isFromEnd,
  type Path,
  parseAddress,
} from '../terms/address.js'
import { type Mistake, mistake } from '../terms/mistake.js'
import { nearestOf } from '../terms/nearest.js'
import {
  type AnyOptions,
  aCondition,
  aLookup,
  aRule,
  byName,
  checkOptions,
  listOf,
  type Report,
  shown,
} from '../terms/option-types.js'
import { checkLimits } from '../terms/policy.js'
import { checkStatus, checkStatuses } from '../terms/statuses.js'
import { checkTemplate, namesOf } from '../terms/template.js'
import { checkSound, checkTextPart } from './fields.js'
import { lookupOptions } from './options.js'

/** @throws DeclarationError if the parts, rules, lookups and the turn of an endpoint make no sense together. */
export function checkEndpoint(node: EndpointNode): void {
  const signature = `${node.method} ${node.template}`
  checkTemplate(signature, node.template)
  for (const { mediaType } of node.bodies)
    if (!readMediaRange(mediaType))
      mistake(`${signature}, body`, `"${mediaType}" is no media type`, "Write it as 'application/json' or 'image/*'")
  checkMade(signature, node)
  checkParts(signature, node)
  if (node.gives) checkSound(signature, node.gives, ['gives'])
  checkLimits(signature, node.limits)
  checkStatuses(signature, node.statuses)
  const bodies = bodiesOf(node)
  const check = checkerOf(node)
  for (const body of bodies) checkRules(node, everyRule(node, body))
  if (node.turn) check('turn', node.turn.by)
  for (const body of bodies) checkPieces(node, body)
  const measuresIn = (address: string) =>
    bodies.flatMap((body) => measuresAt(rootOf(node, body), parseAddress(address) ?? []))
  checkWho(signature, node, check)
  const root = rootOf(node, bodies[0])
  const unfit = node.may && (mistakeIn(node.may, measuresIn) ?? neverIn(node.may, root))
  if (unfit) mistake(`${signature}, may`, ...unfit)
  for (const [name, meant] of [
    ['identify', 'the caller'],
    ['attest', 'what attests messages'],
  ] as const)
    if (Object.hasOwn(node.lookups, name))
      mistake(`${signature}, lookup ${name}`, `that name is reserved for ${meant}`, 'Give the lookup another name')
  const streamed = node.bodies.find((body) => syntaxOf(body).isStreamed)
  const needsBytes = (['attest', 'keepBytes'] as const).find((name) => node[name])
  if (streamed && needsBytes)
    mistake(
      `${signature}, ${needsBytes}`,
      `it needs the whole body as it came, and ${streamed.mediaType} is never whole in memory`,
      'Take the files in an endpoint of their own',
    )
  for (const [name, { reads, fill, when, refusal, follows = {} }] of Object.entries(node.lookups)) {
    const wrong = when && (mistakeIn(when, measuresIn) ?? (bodies.length > 1 ? undefined : neverIn(when, root)))
    if (wrong) mistake(`${signature}, lookup ${name}`, ...wrong)
    check(`lookup ${name}`, [...reads, ...(fill === undefined ? [] : [fill]), ...(when ? addressesIn(when) : [])])
    if (refusal?.at !== undefined && refusal.at !== '') check(`lookup ${name}, refusal`, [refusal.at])
    if (node.lookups[name]?.batch) checkBatch(`${signature}, lookup ${name}`, reads, fill)
    const known = Object.values(node.lookups)
    const stranger = Object.entries(follows).find(([, one]) => !known.includes(one))
    if (stranger)
      mistake(
        `${signature}, lookup ${name}`,
        `it follows ${stranger[0]}, which is no lookup of this endpoint`,
        'Return that lookup as well, and write follows: { name } with what on.lookup gave',
      )
    const observed = Object.entries(follows).find(([, one]) => one.mode === 'observe')
    if (observed && node.lookups[name]?.mode !== 'observe')
      mistake(
        `${signature}, lookup ${name}`,
        `it follows ${observed[0]}, which only observes: of a request that goes on without it, this one would not be asked`,
        "Let it observe too: { mode: 'observe' }",
      )
  }
  for (const body of bodies) checkIdentities(signature, node, rootOf(node, body), everyRule(node, body))
}

const bodiesOf = ({ bodies }: EndpointNode): readonly (BodyNode | undefined)[] =>
  bodies.length === 0 ? [undefined] : bodies

const isDeclaredIn = (node: EndpointNode, address: string, base: Path = []): boolean => {
  const path = parseAddress(address)
  return path !== undefined && bodiesOf(node).some((body) => isReachable(rootOf(node, body), [...base, ...path]))
}

/** Whether something can be at a path: no element lies behind the last that a list may have. */
const isReachable = (root: Node, path: Path): boolean =>
  nodesAt(root, path).length > 0 &&
  path.every((key, at) => {
    if (typeof key === 'string' || isEach(key)) return true
    const count = isFromEnd(key) ? -indexFromEnd(key, 0) : key + 1
    return shapesAt(root, path.slice(0, at)).some(
      (shape) => shape.kind !== 'list' || count <= (shape.length?.[1] ?? Number.POSITIVE_INFINITY),
    )
  })

/** Holds addresses to being declared: with one of the bodies at least. */
function checkerOf(node: EndpointNode) {
  return (where: string, addresses: readonly string[], base?: Path) => {
    const lost = addresses.find((address) => !isDeclaredIn(node, address, base))
    if (lost === undefined) return
    const meant = nearestOf(
      base ? formatAddress([...base, ...(parseAddress(lost) ?? [lost])]) : lost,
      bodiesOf(node).flatMap((body) => addressesBelow(rootOf(node, body))),
    )
    mistake(
      `${node.method} ${node.template}, ${where}`,
      `${lost} is not declared`,
      meant === undefined ? 'Name a declared field' : `It may be ${meant} that is meant`,
    )
  }
}

/** @throws DeclarationError if a rule makes no sense where it is placed. */
export function checkRules(node: EndpointNode, placed: readonly PlacedRule[]): void {
  const signature = `${node.method} ${node.template}`
  const check = checkerOf(node)
  for (const { rule, base, root } of placed) {
    check(`rule ${rule.rule}`, addressesOf(rule), base)
    const measuresOf = (address: string) => measuresAt(root, [...base, ...(parseAddress(address) ?? [])])
    if (rule.status !== undefined) checkStatus(`${signature}, rule ${rule.rule}`, 'its status', rule.status, 400)
    const conditions = [
      ...('when' in rule && rule.when ? [rule.when] : []),
      ...('where' in rule && rule.where ? [rule.where] : []),
      ...(rule.during ?? []),
    ]
    const wrong =
      ruleInService(rule).mistake(rule, measuresOf, (address) => isDeclaredIn(node, address, base)) ??
      (rule.during ?? []).map((one) => mistakeIn(one, measuresOf)).find((one) => one !== undefined) ??
      conditions.map((one) => neverIn(one, root, base)).find((one) => one !== undefined) ??
      mixedIn(rule, conditions.flatMap(addressesIn))
    if (wrong) mistake(`${signature}, rule ${rule.rule}`, ...wrong)
  }
}

/** A condition on each element of a list says nothing about one that is named by its index. */
function mixedIn(rule: AnyRule, looked: readonly string[]): Mistake | undefined {
  const own = 'when' in rule ? rule.blames : [...rule.blames, ...rule.reads]
  for (const address of [...own, ...looked]) {
    const path = parseAddress(address) ?? []
    const each = looked.find((one) => {
      const other = parseAddress(one) ?? []
      const apart = path.findIndex((key, at) => key !== other[at])
      return other[apart] === EACH && typeof path[apart] === 'number'
    })
    if (each !== undefined)
      return [`its condition asks about ${each}, and it also names ${address}`, 'Write [] in both, or an index in both']
  }
  return undefined
}

/** @throws DeclarationError if elements that are judged each alone lie where they cannot be, or something else reads them. */
function checkPieces(node: EndpointNode, body: BodyNode | undefined): void {
  const signature = `${node.method} ${node.template}`
  const root = rootOf(node, body)
  const at = piecewiseAt(node, body).path
  const own = at && nodesAt(root, at)[0]
  const seen = new Set<Node>()
  const look = (one: Node, path: Path): void => {
    if (seen.has(one)) return
    seen.add(one)
    if (one.kind === 'list' && one.piecewise && one !== own)
      mistake(
        `${signature}, ${formatAddress(path)}`,
        'its elements cannot be judged each alone here',
        'Use piecewise for one list of a body, which lies in records alone',
        { option: 'piecewise' },
      )
    for (const [step, child] of childrenOf(one)) look(child, step === undefined ? path : [...path, step])
  }
  look(root, [])
  if (!at) return
  const { reads, lone } = readsOfPieces(at)
  checkRulesOfPieces(node, body, everyRule(node, body))
  for (const [name, { reads: read, when, batch, fill }] of Object.entries(node.lookups)) {
    const odd = reads([
      ...(batch ? [] : [...read, ...(when ? addressesIn(when) : [])]),
      ...(fill === undefined ? [] : [fill]),
    ])
    if (odd !== undefined)
      mistake(`${signature}, lookup ${name}`, `it reads ${odd} as a whole. ${lone}`, 'Write batch: true')
  }
  const turn = reads(node.turn?.by ?? [])
  if (turn !== undefined) mistake(`${signature}, turn`, `its key is ${turn}. ${lone}`, 'Name another field')
}
/** What reads a list whose elements are judged each alone. */
function readsOfPieces(at: Path) {
  /** What lies in the list, and what holds it. */
  const isAt = (path: Path) => at.every((step, index) => index >= path.length || step === path[index])
  const list = formatAddress(at)
  const reads = (addresses: readonly string[], base: Path = []) =>
    addresses.find((address) => isAt([...base, ...(parseAddress(address) ?? [])]))
  const lone = `The elements of ${list} are judged each alone`
  return { reads, lone, isAt }
}

/** @throws DeclarationError if a rule reads elements that are judged each alone, and is not about one of them. */
export function checkRulesOfPieces(node: EndpointNode, body: BodyNode | undefined, rules: readonly PlacedRule[]): void {
  const at = piecewiseAt(node, body).path
  if (!at) return
  const signature = `${node.method} ${node.template}`
  const { reads, lone, isAt } = readsOfPieces(at)
  for (const { rule, base } of rules) {
    const read = reads(readsOf(rule), base)
    // A rule of the element's own record is about that.
    if (read === undefined || base.length > at.length) continue
    const { callsOwn, derives } = ruleOf(rule)
    const isInside = (address: string) => isAt(pathIn(address, base)) && isEach(pathIn(address, base)[at.length])
    const isAboutElements =
      rule.blames.every(isInside) && readsOf(rule).every((one) => reads([one], base) === undefined || isInside(one))
    if (!isAboutElements || (callsOwn && !derives))
      mistake(
        `${signature}, rule ${rule.rule}`,
        `it reads ${formatAddress(pathIn(read, base))}, and is not about one element. ${lone}`,
        callsOwn ? 'Give it to the record that is the element' : 'Let it blame the elements',
      )
  }
}
const pathIn = (address: string, base: Path): Path => [...base, ...(parseAddress(address) ?? [])]

type Asked = readonly (readonly [address: string, value: unknown])[]
/** The values that a condition asks whether a field has one. */
const askedIn: { readonly [C in ConditionName]: (condition: Conditions[C]) => Asked } = {
  is: ({ address, value }) => [[address, value]],
  in: ({ address, values }) => values.map((value) => [address, value]),
  all: ({ of }) => of.flatMap(asked),
  any: ({ of }) => of.flatMap(asked),
  not: ({ of }) => asked(of),
  sent: () => [],
  suits: () => [],
  above: () => [],
  below: () => [],
  accepts: () => [],
}
function asked(condition: AnyCondition): Asked {
  return (askedIn[condition.condition] as (condition: AnyCondition) => Asked)(condition)
}

/** A condition that a field is what it never is. */
function neverIn(condition: AnyCondition, root: Node, base: Path = []): Mistake | undefined {
  for (const [address, value] of asked(condition)) {
    if (isOther(value)) continue
    const nodes = nodesAt(root, [...base, ...(parseAddress(address) ?? [])])
    const takes = (node: Node) => isUnreadable(node, childrenOf) || faultsOf(node, encode(node, value)).length === 0
    if (nodes.length > 0 && !nodes.some(takes))
      return [`${address} is never ${shown(value)}`, 'Name a value that the field takes, as handlers get it']
  }
  return undefined
}
/** What a reader makes of a value cannot always be written back. */
const isUnreadable = anywhere((node) => node.kind === 'readAs' && !node.write)

/** The addresses below a node, as rules write them: to some depth, and so many. */
function addressesBelow(node: Node, path: Path = [], found: string[] = []): string[] {
  if (path.length > 6 || found.length > 2000) return found
  for (const [step, child] of childrenOf(node)) {
    const below = step === undefined ? path : [...path, step]
    if (step !== undefined) found.push(formatAddress(below))
    addressesBelow(child, below, found)
  }
  return found
}

/** A batch asks for the elements of one list, with what lies in the same elements, or outside. */
function checkBatch(where: string, reads: readonly string[], fill: string | undefined): void {
  const many = reads.filter((address) => firstEach(parseAddress(address) as Path) >= 0)
  const lead = many.length > 0 ? deepest(many) : undefined
  if (lead === undefined)
    mistake(where, 'batch asks for elements of a list, and it reads none', "Read 'body.lines[].sku'")
  const stray = many.find((one) => strays(parseAddress(one) as Path, parseAddress(lead) as Path))
  if (stray !== undefined)
    mistake(where, `${stray} is no one value for each ${lead}`, 'Read fields of the same elements')
  if (fill !== undefined) mistake(where, 'batch finds many things, and fill puts one in', 'Take fill away')
}

/** What the functions of a declaration gave: rules, lookups and conditions that `on` made. */
function checkMade(signature: string, { rules, lookups, may }: EndpointNode): void {
  const report: Report = (what, mend, option) => mistake(signature, what, mend, { option })
  checkOptions({ rules, may, lookups }, madeOptions, 'an endpoint', report)
  for (const [name, lookup] of Object.entries(lookups))
    if (!lookup.givesRules)
      checkOptions(lookup, lookupOptions, 'a lookup', (what, mend, option) =>
        mistake(`${signature}, lookup ${name}`, what, mend, { option }),
      )
}
const madeOptions: AnyOptions = { rules: listOf(aRule), may: aCondition, lookups: byName(aLookup) }

/** The caller is a secret, and never blamed; what is asked of it before the body comes looks at nothing else. */
function checkWho(
  signature: string,
  { who, may, open, rules, lookups }: EndpointNode,
  check: (where: string, addresses: readonly string[]) => void,
): void {
  if (who) checkSound(signature, who, ['who'])
  if (who && open && who.need === 'required')
    mistake(
      `${signature}, who`,
      'the endpoint is open, so the caller may be unknown',
      'Make it optional: record({ … }, { optional: true })',
    )
  if (may) {
    const early = addressesIn(may)
    check('may', early)
    const late = early.find((address) => parseAddress(address)?.[0] === 'body')
    if (late !== undefined)
      mistake(
        `${signature}, may`,
        `${late} has not come yet when it is looked at`,
        'Write a rule for what the body says',
      )
  }
  const isOfWho = (address: string) => parseAddress(address)?.[0] === 'who'
  const places = [
    ...rules.flatMap((rule) => [...rule.blames, ...(ruleOf(rule).derives ? ruleOf(rule).names(rule) : [])]),
    ...Object.values(lookups).flatMap(({ fill, refusal }) => [fill, refusal?.at]),
  ]
  const blamed = places.find((address) => address !== undefined && isOfWho(address))
  if (blamed !== undefined)
    mistake(
      `${signature}, ${blamed}`,
      'the caller never has an error, and is never filled',
      'Blame a field that was sent',
    )
}

/**
 * An object that was not sent, and that has no way to say what makes it the same as another: it cannot be compared, be a key, or
 * be asked about.
 */
function checkIdentities(signature: string, node: EndpointNode, root: Node, rules: readonly PlacedRule[]): void {
  const paths = ({ base }: PlacedRule, addresses: readonly string[]) =>
    addresses.map((address) => [...base, ...(parseAddress(address) as Path)])
  const lookups = Object.values(node.lookups)
  const filled = [
    ...rules.filter(({ rule }) => ruleOf(rule).derives).flatMap((one) => paths(one, ruleOf(one.rule).names(one.rule))),
    ...lookups.flatMap(({ fill }) => (fill === undefined ? [] : [parseAddress(fill) as Path])),
  ]
  const compared = [
    ...rules.filter(({ rule }) => ruleInService(rule).compares).flatMap((one) => paths(one, one.rule.reads)),
    ...[...(node.turn?.by ?? []), ...lookups.flatMap(({ reads }) => reads)].map(
      (address) => parseAddress(address) as Path,
    ),
  ]
  for (const path of compared)
    for (const other of filled) {
      const [short, long] = path.length < other.length ? [path, other] : [other, path]
      if (!short.every((key, index) => key === long[index])) continue
      if (shapesAt(root, long).some((shape) => shape.kind === 'readAs' && !shape.key && !shape.write))
        mistake(
          `${signature}, ${formatAddress(long)}`,
          'an object may be filled in here, and is compared or asked about, but nothing says what makes two of them the same',
          'Give its readAs a key, or a write',
        )
    }
}

function checkParts(signature: string, node: EndpointNode): void {
  const named = node.segments.flatMap(namesOf)
  const unlisted = named.find((name) => !Object.hasOwn(node.path.fields, name))
  const unnamed = Object.keys(node.path.fields).find((name) => !named.includes(name))
  if (unlisted !== undefined)
    mistake(
      `${signature}, path.${unlisted}`,
      'the template has this parameter, the path does not declare it',
      `Add ${unlisted} to path`,
    )
  if (unnamed !== undefined)
    mistake(
      `${signature}, path.${unnamed}`,
      'this is no parameter of the template',
      `Write {${unnamed}} into the template`,
    )
  for (const name of ['path', 'query', 'header', 'cookie'] as const) {
    checkSound(signature, node[name], [name])
    checkTextPart(signature, name, node[name])
  }
  if (node.bodies.length > 0 && (node.method === 'GET' || node.method === 'HEAD'))
    mistake(`${signature}, body`, `${node.method} has no body (RFC 9110, section 9.3)`, 'Declare a query, or use POST')
  for (const { node: body } of node.bodies) checkSound(signature, body, ['body'])
  for (const body of node.bodies) {
    const where = `${signature}, body, ${body.mediaType}`
    const { mistake: mistakeOf, textPart } = syntaxOf(body)
    const wrong = mistakeOf(body.node)
    if (wrong) mistake(where, ...wrong)
    if (textPart) checkTextPart(signature, textPart, sentShape(body.node) as RecordNode)
  }
}
