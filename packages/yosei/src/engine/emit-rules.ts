/**
 * Writes the code that judges the rules of one endpoint, where nothing was found wrong with what they read. It tells
 * those that certainly hold, element by element; the others are interpreted there, and so is what code cannot say.
 */
import type { BodyNode, EndpointNode } from '../declare/endpoint.js'
import { rootOf } from '../declare/endpoint.js'
import type { Placed } from '../declare/place.js'
import { decimalSum, negated, roundedProduct } from '../grammar/numbers.js'
import type { CodeOf, Held, Node, Test } from '../kinds/kind.js'
import { codes } from '../kinds/kinds.js'
import { type Shape, shapesAt } from '../kinds/locate.js'
import { access, optionalAccess, quote } from '../kinds/quote.js'
import { addFault, type Fault, isNamed, type Run } from '../kinds/run.js'
import { literal } from '../kinds/scalar.js'
import { keepsEmpty } from '../kinds/shape.js'
import { type Code, createWriter, type Writer } from '../kinds/writer.js'
import { isTextBody } from '../read/media.js'
import { conditionInService, ruleInService, ruleOf } from '../rules/brought.js'
import type { AnyCondition } from '../rules/condition.js'
import { addressesIn } from '../rules/conditions.js'
import { listsShared, type Scope } from '../rules/input.js'
import { orderAt } from '../rules/measure.js'
import type { AnyRule } from '../rules/rule.js'
import type { PlacedRule } from '../rules/rules.js'
import type { Sort, Terms } from '../rules/terms.js'
import { EACH, EACH_NAME, firstEach, isEach, isFromEnd, type Path, parseAddress, valueAt } from '../terms/address.js'
import { put } from '../terms/own.js'
import { interpretRule, unset } from './coded-rules.js'
import { mostEmitted } from './emit.js'
import { sendable } from './interpret.js'
import { fitting, readsOf } from './rules.js'

/** A list that a loop goes through: the path of its elements, and one of them as code, as it was read and sent. */
interface Loop {
  readonly path: Path
  readonly element: string
  /** `undefined` if no rule asks what was sent. */
  readonly sent?: string
  readonly index?: string
  /** Whether a value of its element has a name, which tests may hold against others. */
  readonly isNamed?: boolean
}

export function emitRules(endpoint: EndpointNode, body: BodyNode | undefined, { rules }: Placed): Code {
  const writer = createWriter()
  const whole = rootOf(endpoint, body)
  const about = { isText: isTextBody(body), unlisted: endpoint.unlisted }
  const order = [...rules.keys()].sort((a, b) => Number(isLate(rules[a])) - Number(isLate(rules[b])))
  writer.gives('judgeRules(judging)', () => {
    writer.line('const { input, sent, accept, isKnown, run, barred } = judging')
    writer.line(`if (isPolluted()) { ${order.map((index) => `interpret(judging, ${index})`).join('; ')}; return }`)
    writer.line('let own = unset')
    for (const index of order) {
      const placed = rules[index] as PlacedRule
      writer.line(`// ${quote(`${placed.rule.rule} ${placed.rule.reads.join(' ')}`)}`)
      writer.block(`if (barred !== undefined && barred[${index}]) interpret(judging, ${index}); else {`, () =>
        emitRule(writer, placed, index, { root: placed.root, ...about }, whole),
      )
    }
  })
  return writer.code()
}

/** What derives values comes before what judges them. */
const isLate = (placed: PlacedRule | undefined) => placed !== undefined && !ruleOf(placed.rule).derives

function emitRule(
  writer: Writer,
  { rule, base, declared, guards, scope }: PlacedRule,
  index: number,
  root: Root,
  whole: Node,
): void {
  const lists = declared.flatMap((key, at) => (isEach(key) ? [at] : []))
  /** What is the same for every element: worked out at the first that needs it. */
  const hoisted: string[] = []
  const hoist = (code: string): string => {
    const name = writer.name('h')
    hoisted.push(name)
    return `(${name} ??= ${code})`
  }
  const lines = attempt(writer, () => {
    const loops: Loop[] = []
    const place = (): string =>
      lists.length === 0
        ? writer.bind(declared)
        : `[${declared.map((key, at) => (isEach(key) ? loops[lists.indexOf(at)]?.index : literal(writer, key))).join(', ')}]`
    const inside = (): boolean => {
      const at = lists[loops.length]
      if (at !== undefined) {
        if (declared[at] !== EACH) return false
        const terms = termsOf(writer, root, base, loops, hoist)
        const [list, sentList] = [terms.at(declared.slice(0, at)), terms.sentAt(declared.slice(0, at))]
        if (list === undefined || sentList === undefined) return false
        const [all, of, i, e] = [writer.name('l'), writer.name('l'), writer.name('i'), writer.name('e')]
        writer.line(`const ${all} = ${list}, ${of} = ${sentList}`)
        return writer.block(`if (Array.isArray(${all})) for (let ${i} = 0; ${i} < ${all}.length; ${i}++) {`, () => {
          writer.line(`const ${e} = ${all}[${i}]`)
          loops.push({ path: declared.slice(0, at + 1), element: e, sent: `own1(${of}, ${i})`, index: i })
          return inside()
        })
      }
      const terms = termsOf(writer, root, base, loops, hoist)
      const passBy = loops.length > 0 ? 'continue' : `break r${index}`
      for (const { path, value } of guards) {
        const tag = termsOf(writer, { ...root, root: whole }, base, loops, hoist).at(path)
        if (tag === undefined) return false
        writer.line(`if (${tag} !== ${quote(value)}) ${passBy}`)
      }
      // Of a record that was not sent, its rules ask nothing.
      const holder = base.length > 0 ? terms.at(base) : undefined
      if (base.length > 0 && holder === undefined) return false
      if (holder) writer.line(`if (${holder} == null) ${passBy}`)
      const during = (rule.during ?? []).map((one) => terms.when(one))
      // Conditions that select some of the elements are looked at for each of them.
      const looks = (rule.during ?? []).flatMap(addressesIn).map(terms.path)
      const many = ruleOf(rule).elements(rule).map(terms.path)
      const selects = looks.some((look) => many.some((path) => listsShared([look, path]).length > declared.length))
      if (during.includes(undefined) || selects) return false
      const code = (ruleInService(rule).code as (rule: AnyRule, terms: Terms) => string | undefined)(rule, terms)
      if (code === undefined) return false
      const isOfWho = base.length === 0 && readsOf(rule).some((address) => parseAddress(address)?.[0] === 'who')
      const holds = [...(isOfWho ? ['!isKnown'] : []), ...during.map((one) => `!${one}`), code].join(' || ')
      const { tells } = ruleInService(rule)
      const isPlain = during.length === 0 && rule.mode !== 'observe'
      const values = scope && isPlain ? tells?.values(rule, terms) : undefined
      if (tells && scope && values) {
        const report = writer.make(reportAt, rule, root.root, scope)
        writer.line(`if (!(${holds})) fail(run, ${report}(${['input', ...values].join(', ')}))`)
        return true
      }
      if (ruleOf(rule).callsOwn) writer.line('own = unset')
      writer.line(`if (!(${holds})) interpret(judging, ${index}, ${place()}, own)`)
      return true
    }
    return inside()
  })
  // What code cannot say is interpreted as a whole.
  if (!lines) writer.line(`interpret(judging, ${index})`)
  else
    writer.block(`r${index}: {`, () => {
      if (hoisted.length > 0) writer.line(`let ${hoisted.join(', ')}`)
      lines()
    })
}

export const reportAt = (rule: AnyRule, root: Node, scope: Scope) => ruleInService(rule).tells?.at(rule, root, scope)

/** Writes something, unless it turns out that it cannot be written. */
function attempt(writer: Writer, write: () => boolean): (() => void) | undefined {
  const lines = writer.aside(write)
  return (
    lines &&
    (() => {
      for (const line of lines) writer.line(line)
    })
  )
}

/** Declares the parts; whether the body is read as text; and what becomes of unlisted names. */
interface Root {
  readonly root: Node
  readonly isText: boolean
  readonly unlisted: EndpointNode['unlisted']
}

const isIndex = (key: string | number) => typeof key === 'number'
/** A value whose names can be asked for without asking what it is. */
const haveNames = (shapes: readonly Shape[]) =>
  shapes.length > 0 && shapes.every(({ kind }) => kind === 'record' || kind === 'tagged')

function termsOf(
  writer: Writer,
  whole: Root,
  base: Path,
  loops: readonly Loop[],
  hoist: (code: string) => string,
  /** The loops whose elements the code looks at. */
  used = new Set<Loop>(),
): Terms & { readonly at: (path: Path) => string | undefined; readonly sentAt: (path: Path) => string | undefined } {
  const { root, isText, unlisted } = whole
  const pathOf = (address: string): Path => [...base, ...(parseAddress(address) ?? [])]
  const startsWith = (path: Path, start: Path) =>
    path.length >= start.length && start.every((key, at) => key === path[at])
  const loopOf = (path: Path) => loops.findLast((loop) => startsWith(path, loop.path))
  const inLoop = (path: Path): Loop | undefined => {
    const loop = loopOf(path)
    if (loop) used.add(loop)
    return loop
  }

  /** Whether what stands there has names, and under this one just what is declared: nothing that was kept unlisted. */
  const mayHold = (holder: Path, name: string): boolean => {
    const shapes = shapesAt(root, holder)
    const isKept = (shape: Shape) =>
      shape.kind === 'record' &&
      !Object.hasOwn(shape.fields, name) &&
      (shape.unlisted ?? unlisted?.[holder[0] === 'body' ? 'body' : 'query']) === 'keep'
    return haveNames(shapes) && !shapes.some(isKept)
  }
  const isOfElements = (holder: Path): boolean => {
    const shapes = shapesAt(root, holder)
    return shapes.length > 0 && shapes.every(({ kind }) => kind === 'list' || kind === 'tuple')
  }
  /** A chain of steps from what is known to stand there; `undefined` if it goes through something else. */
  const chain = (from: Path, start: string, steps: Path): string | undefined => {
    let code = start
    for (let at = 0; at < steps.length; at++) {
      const key = steps[at]
      const holder = [...from, ...steps.slice(0, at)]
      if (typeof key === 'number' && !isEach(key) && isOfElements(holder)) {
        code = isFromEnd(key) ? `${code}?.at(${key - EACH_NAME})` : `${code}?.[${key}]`
        continue
      }
      if (typeof key !== 'string' || (holder.length > 0 && !mayHold(holder, key))) return undefined
      code =
        key in Object.prototype
          ? `own1(${code}, ${quote(key)})`
          : `${code}${holder.length > 0 ? optionalAccess(key) : access(key)}`
    }
    return code
  }
  const at = (path: Path): string | undefined => {
    if (path[0] === 'who') return firstEach(path) < 0 ? `valueAt(input, ${writer.bind(path)})` : undefined
    const loop = inLoop(path)
    return loop ? chain(loop.path, loop.element, path.slice(loop.path.length)) : chain([], 'input', path)
  }
  const sentAt = (path: Path): string | undefined => {
    if (firstEach(path, loopOf(path)?.path.length ?? 0) >= 0) return undefined
    const loop = inLoop(path)
    // A list that is read from text may come as one text.
    if (loop && (loop.sent === undefined || loop.path[0] !== 'body' || isText)) return undefined
    const steps = loop ? path.slice(loop.path.length) : path
    if (steps.some(isFromEnd) || (steps.some(isIndex) && (path[0] !== 'body' || isText))) return undefined
    const [start, rest] = loop ? [loop.sent as string, steps] : [`sent.${steps[0]}`, steps.slice(1)]
    return rest.reduce<string>((code, key) => `own1(${code}, ${literal(writer, key)})`, start)
  }
  const sortOf = (path: Path): Sort => {
    const sorts = new Set(shapesAt(root, path).map(sortOfShape))
    const [sort = 'other'] = sorts.size === 1 ? sorts : []
    return sort
  }
  const elements = (path: Path) => {
    const from = loopOf(path)?.path.length ?? 0
    const each = firstEach(path, from)
    if (each < 0 || path[each] !== EACH || firstEach(path, each + 1) >= 0) return undefined
    const list = at(path.slice(0, each))
    const isList = shapesAt(root, path.slice(0, each)).every(({ kind }) => kind === 'list')
    return list === undefined || !isList
      ? undefined
      : {
          holder: list,
          list: `(${list} ?? none)`,
          of: (element: string) => chain(path.slice(0, each + 1), element, path.slice(each + 1)),
        }
  }

  const terms: ReturnType<typeof termsOf> = {
    writer,
    root,
    at,
    sentAt,
    path: pathOf,
    value: (address) => at(pathOf(address)),
    valueAt: at,
    holder: (address) => at(pathOf(address).slice(0, -1)),
    all(address) {
      const path = pathOf(address)
      const element = writer.name('e')
      const list = elements(path)
      const value = list?.of(element)
      const code =
        list && value !== undefined && loops.length === 0
          ? `${list.holder}?.map((${element}) => ${value})`
          : `valueAt(input, ${pathCode(path)})`
      return loops.length > 0 && !loopOf(path) ? hoist(code) : code
    },
    isSent(address) {
      const path = pathOf(address)
      const sent = sentAt(path)
      const isKept = (path[0] === 'body' && !isText) || shapesAt(root, path).some(keepsEmpty)
      return sent === undefined ? undefined : isKept ? `(${sent} !== undefined)` : `isThere(${sent})`
    },
    isParentAbsent(addresses) {
      const paths = addresses.map(pathOf)
      const [first = []] = paths
      let shared = 0
      while (shared < first.length - 1 && paths.every((path) => path[shared] === first[shared])) shared++
      const parent = first.slice(0, shared)
      if (parent.length === 0 || (parent.length === 1 && parent[0] !== 'body')) return 'false'
      const sent = sentAt(parent)
      return sent === undefined ? undefined : `${sent} == null`
    },
    sort: (address) => sortOf(pathOf(address)),
    compare(address, a, operator, b, other) {
      const path = pathOf(address)
      const sort = sortOf(path)
      if (sort === other && sort === 'instant') return `${a}.getTime() ${operator} ${b}.getTime()`
      if (sort === other && sort !== 'other') return `${a} ${operator} ${b}`
      return `${writer.make(orderAt, root, path)}(${a}, ${b}) ${operator} 0`
    },
    each(address, visit) {
      const path = pathOf(address)
      const go = (inside: readonly Loop[], from: Path, start: string): boolean => {
        const to = firstEach(path, from.length)
        const steps = path.slice(from.length, to < 0 ? undefined : to)
        const there = chain(from, start, steps)
        if (there === undefined || path[0] === 'who') return false
        if (to < 0) {
          const value = writer.name('v')
          return writer.block('{', () => {
            writer.line(`const ${value} = ${there}`)
            return visit(value, termsOf(writer, whole, base, inside, hoist))
          })
        }
        if (path[to] !== EACH || !shapesAt(root, path.slice(0, to)).every(({ kind }) => kind === 'list')) return false
        const element = writer.name('e')
        return writer.block(`for (const ${element} of ${there} ?? none) {`, () => {
          const loop = { path: path.slice(0, to + 1), element }
          return go([...inside, loop], loop.path, element)
        })
      }
      const loop = inLoop(path)
      return loop ? go(loops, loop.path, loop.element) : go(loops, [], 'input')
    },
    some(address, test) {
      const path = pathOf(address)
      const value = at(path)
      if (value !== undefined) {
        const held = test(value, terms)
        return held === undefined ? undefined : `(${value} != null && ${held})`
      }
      const list = elements(path)
      const [element, name] = [writer.name('e'), writer.name('v')]
      const inside = list?.of(element)
      if (!list || inside === undefined) return undefined
      // What the test looks at in the same list it finds in the same element.
      const loop = { path: path.slice(0, firstEach(path, loopOf(path)?.path.length ?? 0) + 1), element, isNamed: true }
      const looked = new Set<Loop>()
      const held = test(name, termsOf(writer, whole, base, [...loops, loop], hoist, looked))
      for (const one of looked) used.add(one)
      if (held === undefined) return undefined
      const any = `${list.list}.some((${element}) => { const ${name} = ${inside}; return ${name} != null && ${held} })`
      if (loops.length === 0) return any
      // Gone through for each element, it would take the product of both: where it is not the same for all, it is
      // interpreted.
      const isSame = !loopOf(path) && !loops.some((one) => one.isNamed || looked.has(one))
      return isSame ? hoist(any) : loopOf(path) === loops.at(-1) ? any : undefined
    },
    when: (condition) => conditionInService(condition as AnyCondition).code(condition as AnyCondition, terms),
    held: (field, value) => testOf(writer, writer.derive(sendable, field), value),
    passes(address, field) {
      const value = at(pathOf(address))
      return value === undefined ? undefined : passes(writer, field, value, false)
    },
    suits(address, field) {
      const value = at(pathOf(address))
      return value === undefined ? undefined : passes(writer, field, value, true)
    },
  }
  const pathCode = (path: Path) =>
    `[${path.map((key, index) => (isEach(key) && loops.find((loop) => loop.path.length === index + 1 && startsWith(path, loop.path))?.index) || literal(writer, key)).join(', ')}]`
  return terms
}

function sortOfShape(shape: Shape): Sort {
  switch (shape.kind) {
    case 'integer':
    case 'number':
    case 'duration':
      return 'number'
    case 'instant':
      return 'instant'
    case 'day':
    case 'timeOfDay':
      return 'text'
    case 'text':
      return shape.format === 'time' || shape.format === 'date-time' ? 'other' : 'text'
    case 'choice':
      return sortOfValues(shape.values)
    case 'constant':
      return sortOfValues([shape.value])
    case 'bigInteger':
    case 'decimal':
    case 'flag':
    case 'list':
    case 'tuple':
    case 'record':
    case 'table':
    case 'tagged':
    case 'readAs':
    case 'anything':
    case 'schema':
    case 'file':
      return 'other'
  }
  return shape satisfies never
}
const sortOfValues = (values: readonly unknown[]): Sort =>
  values.every((value) => typeof value === 'string')
    ? 'text'
    : values.every((value) => typeof value === 'number')
      ? 'number'
      : 'other'

/** What is right of a scalar that was read already, in one expression. */
function testOf(writer: Writer, field: Node, value: string): (Test & Partial<Held>) | undefined {
  if (field.readOnly || field.coerce) return undefined
  const { held, test } = codes[field.kind] as CodeOf<Node>
  const made = held ? held(writer, field, value) : test?.(writer, field, value, { source: 'json' })
  return made?.prepare === undefined && made?.test !== undefined ? made : undefined
}

/**
 * Whether a value that was read passes a field that reads it as it is: certainly if it says so, and if it is exact, if
 * and only if.
 */
function passes(writer: Writer, field: Node, value: string, isExact: boolean): string | undefined {
  if (writer.count++ > mostEmitted || field.readOnly || field.coerce) return undefined
  if (field.kind === 'record') {
    if (field.unlisted !== undefined && field.unlisted !== 'keep') return undefined
    if ((field.rules?.length ?? 0) > 0) return undefined
    const tests = Object.entries(field.fields).map(([name, one]) =>
      passesBelow(writer, one, `own1(${value}, ${quote(name)})`, isExact),
    )
    return tests.includes(undefined) ? undefined : [`isNamed(${value})`, ...tests].join(' && ')
  }
  if (field.kind === 'list') {
    if (field.distinct || (isExact && field.item.nullable)) return undefined
    const element = writer.name('e')
    const test = passesBelow(writer, field.item, element, isExact)
    const [least, most] = field.length ?? [0, Number.POSITIVE_INFINITY]
    const tests = [
      `Array.isArray(${value})`,
      ...(least > 0 ? [`${value}.length >= ${Number(least)}`] : []),
      ...(most < Number.POSITIVE_INFINITY ? [`${value}.length <= ${Number(most)}`] : []),
      // A hole is passed by.
      `!${value}.includes(undefined)`,
      `${value}.every((${element}) => ${test})`,
    ]
    return test && tests.join(' && ')
  }
  const made = testOf(writer, field, value)
  if (!made?.isRead || !isExact) return made && `(${made.test})`
  // A value of another kind may be the JSON of one.
  return `(${made.isRead} ? ${made.test} : fits(run, ${writer.bind(field)}, ${value}))`
}

/** The same of a value that lies in another, if it may be absent or null. */
function passesBelow(writer: Writer, field: Node, value: string, isExact: boolean): string | undefined {
  const test = passes(writer, field, value, isExact)
  const open = [
    ...(field.need === 'required' ? [] : [`${value} === undefined`]),
    ...(field.nullable ? [`${value} === null`] : []),
  ]
  return test && `(${[...open, test].join(' || ')})`
}

/** Writes whether a value that a service made is what a field declares; `undefined` if code cannot say it. */
export function emitHolds(field: Node): Code | undefined {
  const writer = createWriter()
  const test = passes(writer, field, 'value', false)
  if (test === undefined) return undefined
  writer.gives('holds(value, run)', () => writer.line(`return ${test}`))
  return writer.code()
}

/** What the code calls by name, besides what it is given. */
export const ruleLibrary = {
  none: /* @__PURE__ */ Object.freeze([]),
  unset,
  interpret: interpretRule,
  fail(run: Run, faults: readonly Fault[]): void {
    for (const fault of faults) addFault(run, fault)
  },
  put1(object: unknown, name: string, value: unknown): boolean {
    put(object as { [name: string]: unknown }, name, value)
    return true
  },
  decimalSum,
  roundedProduct,
  less: (factor: string | number) => (typeof factor === 'number' ? -factor : negated(factor)),
  fits: (run: Run, field: Node, value: unknown): boolean => fitting(run)(field, value, value, true).length === 0,
  isNamed,
  valueAt,
  own1: (object: unknown, key: string | number): unknown =>
    typeof object === 'object' && object !== null && Object.hasOwn(object, key)
      ? (object as { [key: string]: unknown })[key]
      : undefined,
  isThere: (value: unknown): boolean => value !== undefined && value !== '',
}
