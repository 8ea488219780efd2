// biome-ignore-all format: tables read line by line
/** The oracle's third part: rules, from docs/rules.md. */
import { at2, type Cond, type Given, holds, isDate, isObject, isTime, isUnder, jsonOf, kept, keyOf, measureOf, newRun, type Path, plain, type RuleSpec, read, type Spec, Undecided, type Val } from './oracle.ts'

const EACH = '[]'
const NAMES = '{}'
const stepsOf = (address: string): Path => address.split(/\.|(?=\[)|(?=\{\})/).map((step) => (/^\[\d+\]$/.test(step) ? Number(step.slice(1, -1)) : step))
const isEach = (step: string | number | undefined) => step === EACH || step === NAMES

export interface World {
  readonly input: Val
  readonly sent: unknown
  readonly errors: readonly { readonly path: Path; readonly code: string }[]
  /** Whether a text at a path came as text, if an empty one is none; and whether its field keeps it. */
  readonly isText: (path: Path) => boolean
  readonly keeps: (path: Path) => boolean
}

/** The list or the table that a path leads into first, or the path itself. */
const outside = (path: Path) => (path.some(isEach) ? path.slice(0, path.findIndex(isEach)) : path)

/** A step to an element that is counted from the end, such as `[-1]`. */
const isEnd = (step: string | number | undefined) => typeof step === 'string' && step.startsWith('[-')
/** A path with the indices of such elements, if they are there and it is known in which list. */
function counted({ input }: Pick<World, 'input'>, path: Path): Path {
  const at = path.findIndex((step) => isEnd(step) || isEach(step))
  const list = isEnd(path[at]) ? at2(input, path.slice(0, at)) : undefined
  const index = list?.is === 'list' ? list.items.length - Number(String(path[at]).slice(2, -1)) : -1
  return index < 0 ? path : counted({ input }, [...path.slice(0, at), index, ...path.slice(at + 1)])
}

/** Of an element that is not there, its list. */
const there = (path: Path) => (path.some(isEnd) ? path.slice(0, path.findIndex(isEnd)) : path)

/** The places that a path with `[]` and `{}` stands for. */
function places({ input }: World, path: Path): Path[] {
  const each = path.findIndex(isEach)
  if (each < 0) return [path]
  const holder = at2(input, path.slice(0, each))
  const keys = path[each] === EACH ? (holder?.is === 'list' ? [...holder.items.keys()] : []) : holder?.is === 'object' ? Object.keys(holder.fields) : []
  return keys.flatMap((key) => places({ input } as World, [...path.slice(0, each), key, ...path.slice(each + 1)]))
}
/** The places of lists on a path that could not be read, so that it is not known what is in them. */
function unread(world: World, path: Path): Path[] {
  const each = path.findIndex(isEach)
  if (each < 0) return []
  const found = places(world, path.slice(0, each + 1)).map((place) => [...place, ...path.slice(each + 1)])
  return found.length > 0 ? found.flatMap((one) => unread(world, one)) : at2(world.input, path.slice(0, each)) === undefined && isWrong(world, path.slice(0, each)) ? [path] : []
}
/** A path with the element of a place, as far as both go the same way. */
function settled(path: Path, place: Path): Path {
  const made = [...path]
  for (let i = 0; i < path.length && i < place.length; i++) {
    if (typeof place[i] === (path[i] === NAMES ? 'string' : 'number') && isEach(path[i])) made[i] = place[i] as string
    else if (path[i] !== place[i]) break
  }
  return made
}
const shared = (paths: readonly Path[]): Path => {
  const [first = []] = paths
  const end = first.findIndex((step, at) => !paths.every((path) => path[at] === step))
  const common = end < 0 ? first : first.slice(0, end)
  return common.slice(0, common.findLastIndex(isEach) + 1)
}

function isSent(world: World, path: Path): boolean {
  let value = world.sent
  const exact = counted(world, path)
  for (const [at, step] of exact.entries()) {
    // The elements of a list that came as one text; nothing was sent inside of one but what was read there.
    if (typeof value === 'string' && typeof step === 'number') {
      const list = at2(world.input, exact.slice(0, at))
      return list?.is === 'list' && step < list.items.length && (at === exact.length - 1 || at2(world.input, exact) !== undefined)
    }
    // Of a list that could not be read, the end is that of what was sent.
    const key = isEnd(step) && Array.isArray(value) ? value.length - Number(String(step).slice(2, -1)) : step
    value = (isObject(value) || Array.isArray(value)) && Object.hasOwn(value, key) ? (value as never)[key] : undefined
  }
  return value !== undefined && !(value === '' && world.isText(path) && !world.keeps(path))
}
const isCount = (code: string) => code === 'too_few' || code === 'too_many'
/** Whether a fault lies at a path, below it, or at what holds it; how many there are is nothing of what is inside. */
function isWrong({ errors, input }: World, declared: Path, countsToo = false): boolean {
  const path = counted({ input }, declared)
  const meets = (a: Path, b: Path) => a.slice(0, b.length).every((step, at) => step === b[at] || isEach(step) || isEnd(step))
  return errors.some(({ path: wrong, code }) =>
    wrong.length >= path.length ? meets(path, wrong.slice(0, path.length)) : (countsToo || !isCount(code)) && meets(path, wrong),
  )
}
/** Whether a fault lies at what holds a path. */
const isWrongAbove = (world: World, path: Path) => world.errors.some(({ path: wrong, code }) => wrong.length < path.length && !isCount(code) && isUnder(counted(world, path), wrong))

const none = (val: Val | undefined) => val === undefined || val.is === 'null'
const areMixed = (a: Val | undefined, b: Val | undefined): boolean => a?.is === 'scalar' && b?.is === 'scalar' ? measureOf(a) !== measureOf(b) : a?.is === 'object' && b?.is === 'object' ? Object.keys(a.fields).some((name) => areMixed(a.fields[name], b.fields[name])) : a?.is === 'list' && b?.is === 'list' && a.items.some((one, index) => areMixed(one, b.items[index]))
function order(a: Val | undefined, b: Val | undefined): number {
  if ([a, b].some((val) => val && (kept.has(val) || JSON.stringify(val, (_, one) => (typeof one === 'bigint' ? String(one) : one)).includes('"is":"raw"')))) throw new Undecided()
  // Nor does the order of what is measured in two ways mean anything, as branches of a union may have it, at any depth.
  if (areMixed(a, b)) throw new Undecided()
  if (a?.is === 'scalar' && b?.is === 'scalar') return typeof a.rank !== typeof b.rank ? Number.NaN : a.rank < b.rank ? -1 : a.rank > b.rank ? 1 : 0
  return a && b && keyOf(a) === keyOf(b) ? 0 : Number.NaN
}

/** @param isOfRecord Whether the rule is a record's own, so that it has the record for the parent of its fields. */
export function judgeRule(rule: RuleSpec, base: Path, world: World, isOfRecord: boolean): { path: Path; code: string }[] {
  const path = (address: string): Path => [...base, ...stepsOf(address)]
  const condPaths = ({ address, values = [], of = [] }: Cond): Path[] => [
    ...(address === undefined ? [] : [path(address)]),
    ...values.flatMap(({ other }) => (other === undefined ? [] : [path(other)])),
    ...of.flatMap(condPaths),
  ]
  const meets = (cond: Cond, place: Path): boolean => {
    const { on, address = '', values = [], of = [] } = cond
    if (on === 'not') return !meets(of[0] as Cond, place)
    if (on === 'all') return of.every((one) => meets(one, place))
    if (on === 'any') return of.some((one) => meets(one, place))
    return places(world, settled(path(address), place)).some((one) => {
      if (on === 'sent') return isSent(world, one)
      const val = at2(world.input, one)
      if (none(val)) return false
      if (on === 'suits') return passes(cond.field as Spec, val, one).length === 0
      return values.some((given) => {
        const limits = given.other === undefined ? [literal(given)] : places(world, settled(settled(path(given.other), one), place)).map((there) => at2(world.input, there))
        return limits.some((limit) => {
          const found = none(limit) ? Number.NaN : order(val, limit)
          return on === 'above' ? found > 0 : on === 'below' ? found < 0 : found === 0
        })
      })
    })
  }
  /** What another field and the rules of its records find wrong with a value. */
  const passes = (field: Spec, val: Val | undefined, place: Path): { path: Path; code: string }[] => {
    const run = newRun('keep')
    const got = read(field, jsonOf(val, field), 'json', [], run)
    const sentHere = place.reduce<unknown>((value, step) => (isObject(value) || Array.isArray(value) ? (value as never)[step] : undefined), world.sent)
    const inner: World = { input: got as Val, sent: sentHere, errors: [...run.errors], isText: () => false, keeps: () => true }
    return [...run.errors, ...run.records.flatMap((one) => (one.spec.rules ?? []).flatMap((own) => judgeRule(own, one.path, inner, true)))]
  }
  const { rule: name, addresses, when, field, options = {}, during = [] } = rule
  const all = addresses.map(path)
  const gapLimits = name === 'gap' ? ['atLeast', 'atMost', 'exactly'].flatMap((one) => (typeof options[one] === 'string' && options[one] !== '1h' ? [path(options[one] as string)] : [])) : []
  const [[a = [], b = []], fault] = [all, (where: Path, code: string) => ({ path: there(counted(world, where)), code })]
  const conditionPaths = [...(when ? condPaths(when) : []), ...during.flatMap(condPaths)]
  // Nor is it decided what an entry of a table is to a field of that name, in another branch of one union.
  const firstApart = (one: Path, other: Path) => one.findIndex((step, at) => step !== other[at])
  if ([...all, ...conditionPaths].some((one, _, every) => every.some((other) => one[firstApart(one, other)] === NAMES && !isEach(other[firstApart(one, other)]) && other.length > firstApart(one, other)))) throw new Undecided()
  const isSound = (paths: readonly Path[], place: Path, countsToo = false) => !paths.some((one) => isWrong(world, settled(one, place), countsToo))
  const holdAll = (place: Path) => during.every((one) => meets(one, place))

  if (['ascending', 'equal', 'differ', 'gap'].includes(name)) {
    const deeper = shared([b]).length > shared([a]).length ? b : a
    return places(world, shared([deeper])).flatMap((place) => {
      if (!isSound([...all, ...gapLimits, ...conditionPaths], place) || !holdAll(place)) return []
      const [left, right] = all.map((one) => at2(world.input, settled(one, place)))
      if (none(left) || none(right)) return []
      const found = order(left, right)
      const isRight = { ascending: options.orEqual ? found <= 0 : found < 0, equal: found === 0, differ: found !== 0 }[name]
      const blamed = settled(b, place)
      if (name !== 'gap') return isRight ? [] : [fault(blamed, { ascending: 'out_of_order', equal: 'unequal', differ: 'equal_not_allowed' }[name] as string)]
      if (isTime(left) !== isTime(right)) throw new Undecided()
      // Nor is what floats do not keep.
      if ([left, right].some((val) => Math.abs(numberOf(val)) > 1e15)) throw new Undecided()
      const gap = numberOf(right) - numberOf(left)
      return ['atLeast', 'atMost', 'exactly'].flatMap((limit) => {
        const given = options[limit]
        if (given === undefined) return []
        const far = typeof given === 'string' && given !== '1h' ? at2(world.input, settled(path(given), place)) : undefined
        if (typeof given === 'string' && given !== '1h' && none(far)) return []
        const most = given === '1h' ? 3_600_000 : far ? numberOf(far) * (options.in === 'h' ? 3_600_000 : 1) : Number(given)
        return gap < most && limit !== 'atMost' ? [fault(blamed, 'too_close')] : gap > most && limit !== 'atLeast' ? [fault(blamed, 'too_far')] : []
      })
    })
  }
  if (name === 'needed' || name === 'absent') {
    return places(world, a).flatMap((place) => {
      if (during.length > 0 && !isSound(during.flatMap(condPaths), place)) return []
      if (name === 'needed' ? !isSound([a, ...conditionPaths], place) : !isSound(conditionPaths, place) || isWrongAbove(world, place)) return []
      const isInNone = place.some((_, index) => (typeof place[index] === 'number' || isEnd(place[index]) || isEach(a[index])) && index < place.length - 1 && none(at2(world.input, place.slice(0, index + 1))))
      if (isInNone || !meets(when as Cond, place) || !holdAll(place)) return []
      return isSent(world, place) === (name === 'absent') ? [fault(place, name === 'needed' ? 'needed' : 'not_allowed_here')] : []
    })
  }
  if (name === 'fits')
    return places(world, a).flatMap((place) => {
      const val = at2(world.input, place)
      if (!isSound([a, ...conditionPaths], place) || none(val) || !holdAll(place)) return []
      return passes(field as Spec, val, place).map((one) => fault([...place, ...one.path], String(options.code ?? one.code)))
    })

  if (name === 'openAt')
    return places(world, a).flatMap((place) => {
      const val = at2(world.input, place)
      if (!isSound([a, ...conditionPaths], place) || !holdAll(place) || none(val)) return []
      if (!isTime(val)) throw new Undecided()
      // Open on Saturdays, and on Sundays from noon on, in UTC.
      const moment = new Date(numberOf(val))
      return moment.getUTCDay() === 6 || (moment.getUTCDay() === 0 && moment.getUTCHours() >= 12) ? [] : [fault(place, 'closed_then')]
    })

  // Rules that look at the elements of a list together: conditions select some of them.
  const limits = ['atMost', 'atLeast', 'exactly'].flatMap((limit) => (options[limit] === undefined ? [] : [{ limit, given: options[limit] as string | number }]))
  const far = name === 'among' ? [b] : limits.flatMap(({ given }) => (typeof given === 'string' ? [path(given)] : []))
  const products = (given: unknown) => ((given ?? []) as (string | string[])[]).map((one) => (typeof one === 'string' ? [path(one)] : one.map(path)))
  const by = options.by as string[] | undefined
  const shares = (by ?? []).map(path).filter((one) => !isEach(one.at(-1)))
  const apart = (by ?? []).map(path).filter((one) => isEach(one.at(-1)))
  const deepest = (paths: readonly Path[]): Path => paths.reduce((deep, one) => (one.findLastIndex(isEach) > deep.findLastIndex(isEach) ? one : deep))
  const terms = name !== 'sumWithin' ? [] : [
    { factors: [a, ...(options.times === undefined ? [] : [path(options.times as string)])], isLess: false },
    ...products(options.more).map((factors) => ({ factors, isLess: false })), ...products(options.less).map((factors) => ({ factors, isLess: true })),
  ]
  const where = options.where as Cond | undefined
  const reads = name === 'among' ? [a] : name === 'sumWithin' ? [...terms.flatMap(({ factors }) => factors), ...shares] : [...all, ...(where ? condPaths(where) : []), ...shares]
  const aroundLast = (one: Path) => one.slice(0, one.findLastIndex(isEach))
  const isOfList = ['inOrder', 'distinct', 'apart'].includes(name)
  const around = name === 'among' ? places(world, shared([a, options.areNames ? b : aroundLast(b)])) : name === 'acyclic' ? places(world, shared([aroundLast(a), b])) : isOfList ? places(world, by === undefined ? shared([a.slice(0, a.findLastIndex(isEach))]) : shared([apart.length > 0 ? deepest(apart) : base])) : name === 'sumWithin' || name === 'count' ? places(world, deepest([far.length > 0 ? shared([...(name === 'count' ? [a] : terms.map(({ factors }) => deepest(factors))), ...far]) : shared([base]), ...apart.map((one) => shared([one]))])) : name === 'check' ? [base] : places(world, shared(all))
  return around.flatMap((scope) => {
    const own = reads.map((one) => settled(one, scope))
    const isInside = (cond: Cond) => condPaths(cond).some((one) => own.some((read) => shared([settled(one, scope), read]).length > 0))
    const selecting = during.filter(isInside)
    const looks = selecting.flatMap(condPaths)
    if (during.some((one) => !selecting.includes(one) && (!isSound(condPaths(one), scope) || !meets(one, scope)))) return []
    const isKnown = (place: Path) => isSound(looks, place)
    const selects = (place: Path) => selecting.every((one) => meets(one, place))
    const isOfElement = (place: Path) => looks.some((one) => shared([one]).length > 0 && settled(one, place).some((step, index) => step !== settled(one, scope)[index]))
    const each = own.filter((one) => looks.some((look) => shared([settled(look, scope), one]).length > 0)).flatMap((one) => places(world, one))
    if (selecting.length > 0 && !each.some((place) => !isKnown(place) || selects(place))) return []
    const judged = ['sumWithin', 'inOrder', 'distinct', 'apart', 'among', 'acyclic', 'count'].includes(name)
    if (judged ? own.some((one) => { const at = one.findIndex(isEach); return at < 0 ? isWrong(world, one) : isWrongAbove(world, one.slice(0, at + 1)) || isWrongAbove(world, one.slice(0, at)) }) || !isSound([...far, ...looks.filter((look) => !own.some((one) => shared([settled(look, scope), one]).length > 0))], scope) : !isSound(reads, scope, name === 'check') || !isSound(looks, scope)) return []
    const speaksOf = (place: Path) => selecting.length === 0 || !isOfElement(place) || (isKnown(place) && selects(place))
    /** Those of one group together; those whose group cannot be read are in none. */
    const grouped = <T>(items: readonly T[], placeOf: (item: T) => Path): T[][] => {
      const groups: { keys: readonly (Val | undefined)[]; items: T[] }[] = []
      for (const item of items) {
        const keys = shares.map((one) => settled(settled(one, scope), placeOf(item)))
        if (keys.some((one) => isWrong(world, one))) continue
        const vals = keys.map((one) => at2(world.input, one))
        const known = groups.find((group) => group.keys.every((one, index) => (none(one) ? none(vals[index]) : !none(vals[index]) && order(one, vals[index]) === 0)))
        if (known) known.items.push(item)
        else groups.push({ keys: vals, items: [item] })
      }
      return groups.map(({ items }) => items)
    }
    const isGroupWrong = (place: Path) => shares.some((one) => isWrong(world, settled(settled(one, scope), place)))
    if (name === 'among') {
      const [target, [from = []]] = [settled(b, scope), own]
      const names = places(world, target).flatMap((one) => { const holder = at2(world.input, one); return holder?.is === 'object' ? Object.keys(holder.fields) : [] })
      const others = places(world, target).map((one) => at2(world.input, one)).filter((one) => !none(one))
      return places(world, from).filter((place) => speaksOf(place) && !isWrong(world, place)).flatMap((place) => {
        const val = at2(world.input, place)
        if (none(val)) return []
        const isThere = options.areNames ? names.includes(plain(val) as string) : others.filter((one) => order(val, one) === 0).length > 0
        return isThere ? [] : [fault(place, 'not_among')]
      })
    }
    if (name === 'acyclic') {
      const [names = [], refers = []] = own
      const edges = places(world, refers).flatMap((place) => {
        const by = settled(names, place)
        const [from, to] = [at2(world.input, by), at2(world.input, place)]
        return none(from) || none(to) || isWrong(world, by) || isWrong(world, place) || !speaksOf(place) ? [] : [{ from, to, place }]
      })
      const isOne = (x: Val | undefined, y: Val | undefined) => order(x, y) === 0
      const done: (Val | undefined)[] = []
      // Each element is followed as far as it leads, in the order of the elements.
      const follow = (from: Val | undefined, way: readonly (Val | undefined)[]): { path: Path; code: string }[] => {
        if (done.some((one) => isOne(one, from))) return []
        const found = edges.filter((edge) => isOne(edge.from, from)).flatMap(({ to, place }) => ([...way, from].some((one) => isOne(one, to)) ? [fault(place, 'in_a_cycle')] : follow(to, [...way, from])))
        done.push(from)
        return found
      }
      return edges.flatMap(({ from }) => follow(from, []))
    }
    if (isOfList) {
      const compared = all.map((one) => settled(one, scope))
      const list = (compared[0] ?? []).slice(0, (compared[0] ?? []).findLastIndex(isEach))
      const rows = places(world, [...list, EACH])
      const there = rows.filter(speaksOf).map((row) => ({ row, values: compared.map((one) => settled(one, row)) })).filter(({ values }) => !values.some((one) => isWrong(world, one)))
      return grouped(there, ({ row }) => row).flatMap((some) => {
        const read = some.map(({ row, values }) => ({ row, place: values[0] as Path, vals: values.map((one) => at2(world.input, one)) })).filter(({ vals }) => !vals.some(none))
        if (name === 'inOrder') return read.flatMap(({ place, vals }, index) => { const found = index === 0 ? -1 : order(read[index - 1]?.vals[0], vals[0]); return (options.orEqual ? found <= 0 : found < 0) ? [] : [fault(place, 'out_of_order')] })
        if (name === 'distinct') return read.flatMap(({ row, vals }, index) => (read.slice(0, index).some((one) => one.vals.every((val, at) => order(val, vals[at]) === 0)) ? [fault(row, 'repeated')] : []))
        // An open end never ends; of a last that counts the next begins one later.
        const begun = some.map(({ row, values }) => ({ row, vals: values.map((one) => at2(world.input, one)) })).filter(({ vals }) => !none(vals[0]) && (options.openEnded || !none(vals[1])))
        const spans = begun.filter(({ vals }) => none(vals[1]) || (options.lastIncluded ? order(vals[0], vals[1]) <= 0 : order(vals[0], vals[1]) < 0))
        const least = options.lastIncluded ? (spans.some(({ vals }) => isDate(vals[0])) ? 86_400_000 : 1) : 0
        const rest = options.rest === '1h' ? 3_600_000 : Number(options.rest ?? 0)
        const after = (val: Val | undefined, end: Val | undefined, by: number) => (none(end) ? -1 : by === 0 ? order(val, end) : numberOf(val) - numberOf(end) - by)
        return spans.flatMap((span, index) => {
          const before = spans.filter((other, at) => { const begins = order(other.vals[0], span.vals[0]); return begins < 0 || (begins === 0 && at < index) })
          if (before.length === 0) return []
          const codes = before.some((other) => after(span.vals[0], other.vals[1], least) < 0) ? ['overlaps'] : rest > 0 && before.some((other) => after(span.vals[0], other.vals[1], least + rest) < 0) ? ['too_close'] : options.seamless && before.every((other) => after(span.vals[0], other.vals[1], least) > 0) ? ['too_far'] : []
          return codes.map((code) => fault(span.row, code))
        })
      })
    }
    // A list is blamed in the elements that hold its limit, or are groups.
    const around = shared([a, ...far, ...apart].length > 1 ? [a, ...far, ...apart] : [[]])
    const blamed = () => { const one = settled(a, scope); const each = one.findIndex((step, index) => isEach(step) && index >= around.length); return each < 0 ? one : one.slice(0, each) }
    if (name === 'sumWithin') {
      const isList = (one: Path) => { const each = one.findIndex(isEach); return each < 0 ? !none(at2(world.input, one)) : at2(world.input, one.slice(0, each))?.is === (one[each] === EACH ? 'list' : 'object') }
      const all = terms.map(({ factors, isLess }) => {
        const own = factors.map((one) => settled(one, scope))
        const lead = settled(deepest(factors), scope)
        const each = places(world, lead).map((place) => ({ place, factors: own.map((one) => settled(one, place)) }))
        const isUnknown = ({ place, factors }: (typeof each)[number]) => factors.some((one) => isWrong(world, one)) || isGroupWrong(place) || (selecting.length > 0 && isOfElement(place) && !isKnown(place))
        const speaking = each.filter(({ place }) => selecting.length === 0 || !isKnown(place) || speaksOf(place))
        return {
          isLess, isThere: own.every(isList),
          isKnownWhole: !speaking.some(isUnknown) && !own.flatMap((one) => unread(world, one)).some((one) => selecting.length === 0 || !isKnown(one) || speaksOf(one)),
          known: speaking.filter((one) => !isUnknown(one)).map(({ place, factors }) => ({ place, isLess, vals: factors.map((one) => at2(world.input, one)) })).filter(({ vals }) => !vals.some(none)),
        }
      })
      if (!all.some(({ isThere }) => isThere)) return []
      const known = all.flatMap((one) => one.known)
      // Sums of what floats do not keep are not worked out here.
      if (known.flatMap(({ vals }) => vals).some((val) => isDate(val) || Math.abs(numberOf(val)) > 1e12)) throw new Undecided()
      const [isKnownWhole, isLessKnown] = [false, true].map((isLess) => all.every((one) => one.isLess !== isLess || one.isKnownWhole))
      const amount = ({ vals, isLess }: (typeof known)[number]) => {
        const product = vals.reduce((found, val) => found * Math.round(numberOf(val) * 100), 1) * (vals.length > 1 ? 1 : 100)
        const unit = 10 ** (4 - Number(options.rounded ?? 4))
        const rounded = vals.length > 1 ? Math.sign(product) * Math.floor((Math.abs(product) + unit / 2) / unit) * unit : product
        return isLess ? -rounded : rounded
      }
      return (shares.length === 0 ? [known] : grouped(known, ({ place }) => place)).flatMap((some) => {
        const sum = some.reduce((total, one) => total + amount(one), 0)
        return limits.flatMap(({ limit, given }) => {
          const most = typeof given === 'string' ? at2(world.input, settled(path(given), scope)) : undefined
          if (typeof given === 'string' && none(most)) return []
          if ((limit !== 'atMost' && !isKnownWhole) || (limit !== 'atLeast' && !isLessKnown)) return []
          const value = Math.round((typeof given === 'string' ? numberOf(most) : given) * 10000)
          const wrong = limit === 'atMost' ? sum > value : limit === 'atLeast' ? sum < value : sum !== value
          return wrong ? [fault(blamed(), { atMost: 'above_max', atLeast: 'below_min', exactly: 'unequal' }[limit] as string)] : []
        })
      })
    }
    if (name === 'count') {
      const address = settled(a, scope)
      const each = address.findIndex(isEach)
      if (at2(world.input, address.slice(0, each))?.is !== (address[each] === EACH ? 'list' : 'object')) return []
      const looked = where ? condPaths(where).map((one) => settled(one, scope)) : []
      const speaking = places(world, address).filter((place) => selecting.length === 0 || !isKnown(place) || speaksOf(place))
      const isRead = (place: Path) => (isEach(a.at(-1)) || !isWrong(world, place)) && !looked.some((one) => isWrong(world, settled(one, place))) && !isGroupWrong(place) && (selecting.length === 0 || isKnown(place))
      const read = speaking.filter(isRead)
      return (shares.length === 0 ? [read] : grouped(read, (place) => place)).flatMap((some) => {
        const count = some.filter((place) => (isWrong(world, place) || !none(at2(world.input, place))) && (!where || meets(where, place))).length
        return limits.flatMap(({ limit, given }) => {
          const most = typeof given === 'string' ? at2(world.input, settled(path(given), scope)) : undefined
          if (typeof given === 'string' && none(most)) return []
          const value = typeof given === 'string' ? numberOf(most) : given
          return count > value && limit !== 'atLeast' ? [fault(blamed(), 'too_many')] : count < value && limit !== 'atMost' && read.length === speaking.length ? [fault(blamed(), 'too_few')] : []
        })
      })
    }
    if (name === 'check') {
      const last = path(addresses.at(-1) as string)
      const there = places(world, last)
      const blamed = (there.length > 0 ? there : [last.slice(0, last.findIndex(isEach))]).filter(speaksOf)
      return blamed.length === 0 || holds(...all.map((one) => valuesAt(world.input, one)), 0) ? [] : blamed.map((one) => fault(one, 'own'))
    }
    const parentOf = (paths: readonly Path[]) => { const [first = []] = paths; let end = 0; while (end < first.length - 1 && paths.every((one) => one[end] === first[end])) end++; return first.slice(0, end) }
    const parent = counted(world, parentOf(own))
    if ((parent.length > 1 || parent[0] === 'body') && parent.length > 0 && (sentAt(world.sent, parent) ?? null) === null) return []
    const count = own.filter((one) => places(world, one).some((place) => speaksOf(place) && isSent(world, place))).length
    const code = name === 'together' ? (count === 0 || count === own.length ? undefined : 'not_together') : count === 0 && name !== 'atMostOne' ? 'none_present' : count > 1 && name !== 'atLeastOne' ? 'more_than_one' : undefined
    return code === undefined ? [] : [fault(parent.length === 0 && !isOfRecord ? outside(own[0] ?? []) : parent, code)]
  })
}
const sentAt = (sent: unknown, path: Path): unknown => path.reduce<unknown>((value, step) => ((isObject(value) || Array.isArray(value)) && Object.hasOwn(value, step) ? (value as never)[step] : undefined), sent)
const literal = ({ of, json }: Given): Val => read({ is: 'scalar', scalar: of as string }, json, 'json', [], newRun('keep')) as Val
function numberOf(val: Val | undefined): number {
  if (val?.is !== 'scalar' || typeof val.rank !== 'number') throw new Undecided()
  return val.rank
}
/** What a rule's own function gets. */
function valuesAt(val: Val | undefined, path: Path): unknown {
  const each = path.findIndex(isEach)
  if (each < 0) return plain(at2(val, path))
  const holder = at2(val, path.slice(0, each))
  const inside = path[each] === EACH ? (holder?.is === 'list' ? holder.items : undefined) : holder?.is === 'object' ? Object.values(holder.fields) : undefined
  return each + 1 === path.length && inside ? inside.map(plain) : inside?.map((one) => valuesAt(one, path.slice(each + 1)))
}
