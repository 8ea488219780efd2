/** A parcel service: shippers send parcels from depots, a carrier reports what becomes of them. All that is checked stands here. */
import { createHmac, timingSafeEqual } from 'node:crypto'
import {
  type Attest,
  byteRanges,
  choice,
  constant,
  day,
  decimal,
  endpoint,
  entityTags,
  file,
  flag,
  group,
  type Head,
  instant,
  intake,
  integer,
  lines,
  list,
  number,
  record,
  refuse,
  type Sign,
  sortKeys,
  tagged,
  text,
  timeOfDay,
  tuple,
  without,
} from 'yosei'

export interface Caller {
  readonly name: string
  readonly role: 'shipper' | 'carrier' | 'operator'
}
export interface Parcel {
  readonly id: string
  readonly shipper: string
  readonly state: 'announced' | 'collected' | 'delivered' | 'lost' | 'cancelled'
  readonly version: number
  readonly declared: object
}
export interface Depot {
  readonly id: string
  readonly zone: string
  readonly hours: { readonly [weekday: string]: readonly (readonly [string, string])[] }
  readonly most: number
}
/** What the intake asks of the outside. */
export interface Services {
  /** What the carrier signs with. */
  readonly hookKey: string
  callers: { find(key: string): Promise<Caller | undefined> }
  parcels: {
    find(id: string, caller?: Caller): Promise<Parcel | undefined>
    /** Those of the ids that there are, of a shipper its own, in one query. */
    known(ids: readonly string[], caller?: Caller): Promise<Map<string, Parcel>>
    /** The references that a shipper has used, in one query. */
    used(shipper: string, references: readonly string[]): Promise<Map<string, string>>
  }
  products: { known(skus: readonly string[]): Promise<Map<string, { readonly weight: number }>> }
  depots: { find(id: string): Promise<Depot | undefined> }
  /** @returns Whether it was not seen before. */
  replays: { isNew(signature: string): Promise<boolean> }
}

const id = text({ pattern: /^p-[0-9]{6}$/, examples: ['p-000001'] })
const slug = text({ pattern: /^[a-z][a-z0-9-]{1,30}$/, length: [2, 31] })
const name = text({ length: [1, 60], tidy: ['trim', 'squeeze'] })
const role = choice(['shipper', 'carrier', 'operator'])
const who = record({ name: slug, role })
const service = choice(['standard', 'express'])

const parcel = record(
  {
    reference: text({ length: [1, 40], tidy: ['trim'] }),
    depot: slug,
    to: record({
      name,
      street: name,
      postcode: text({ length: [3, 10], tidy: ['compact', 'upper'] }),
      country: text({ format: 'country', tidy: ['upper'] }),
      phone: text({ format: 'phone', optional: true, secret: true }),
    }),
    service,
    grams: integer({ min: 1, max: 30_000 }),
    /** Length, width and height in centimetres. */
    size: tuple([integer({ min: 1, max: 200 }), integer({ min: 1, max: 200 }), integer({ min: 1, max: 200 })]),
    insured: decimal({ digits: 7, scale: 2, min: '0', max: '2500', optional: true }),
  },
  {
    rules: (on) => [
      on.ascending('size[1]', 'size[0]', { orEqual: true }),
      on.ascending('size[2]', 'size[1]', { orEqual: true }),
      on.sumWithin(['size[0]', ['size[1]', 'size[2]']], { atMost: 20_000 }),
      on.needed('to.phone', on.is('service', 'express')),
    ],
  },
)

/** Whose it is not does not learn that it exists. */
const ofOneself = {
  reads: ['path.id', 'who'] as const,
  ask: ({ parcels }: Services, [parcel, caller]: readonly [string, Caller]) => parcels.find(parcel, caller),
  refusal: { status: 404, code: 'no_such_parcel', message: 'no_such_parcel' },
} as const

const createParcels = endpoint('POST /parcels', {
  who,
  title: 'Announce parcels, each accepted or rejected by itself',
  success: 201,
  body: record({ parcels: list(parcel, { length: [1, 500], piecewise: true }) }),
  rules: (on) => [on.distinct('body.parcels[].reference')],
  lookups: (on) => ({
    used: on.lookup({
      batch: true,
      reads: ['body.parcels[].reference', 'who'],
      ask: ({ parcels }: Services, [references, caller]) => parcels.used(caller.name, references),
      absent: true,
      refusal: { status: 409, code: 'reference_used', message: 'reference_used' },
    }),
    depot: on.lookup({
      batch: true,
      reads: ['body.parcels[].depot'],
      ask: async ({ depots }: Services, [ids]) => Promise.all(ids.map((one) => depots.find(one))),
      refusal: { status: 422, code: 'no_such_depot', message: 'no_such_depot' },
    }),
  }),
})
const listParcels = endpoint('GET /parcels', {
  query: {
    state: list(choice(['announced', 'collected', 'delivered', 'lost']), { optional: true, distinct: true }),
    from: day({ optional: true }),
    until: day({ optional: true }),
    sort: sortKeys(['id', 'state'], { default: [{ key: 'id', descending: false }] }),
    limit: integer({ min: 1, max: 100, default: 20 }),
  },
  rules: (on) => [on.gap('query.from', 'query.until', { atLeast: '0d', atMost: '3mo' })],
})
const showParcel = endpoint('GET /parcels/{id}', {
  who,
  path: { id },
  header: { 'if-none-match': entityTags({ optional: true }) },
  lookups: (on) => ({ parcel: on.lookup(ofOneself) }),
})
const changeParcel = endpoint('PUT /parcels/{id}', {
  who,
  path: { id },
  header: { 'if-match': entityTags() },
  body: without(parcel, ['reference']),
  lookups: (on) => ({ parcel: on.lookup(ofOneself) }),
})
const cancelParcel = endpoint('DELETE /parcels/{id}', {
  who,
  success: 204,
  path: { id },
  header: { 'if-match': entityTags({ optional: true }) },
  lookups: (on) => ({ parcel: on.lookup(ofOneself) }),
})
const declareCustoms = endpoint('PUT /parcels/{id}/customs', {
  who,
  success: 204,
  path: { id },
  body: record({
    kind: choice(['goods', 'gift', 'documents']),
    currency: text({ format: 'currency' }),
    lines: list(
      record({
        sku: slug,
        count: integer({ min: 1, max: 999 }),
        value: decimal({ digits: 9, scale: 2, min: '0' }),
        origin: text({ format: 'country' }),
      }),
      { length: [1, 50] },
    ),
    freight: decimal({ scale: 2, default: '0' }),
    total: decimal({ scale: 2 }),
    invoice: text({ length: [1, 40], optional: true }),
  }),
  rules: (on) => [
    on.distinct('body.lines[].sku', 'body.lines[].origin'),
    on.sumWithin(
      ['body.freight', ['body.lines[].count', 'body.lines[].value']],
      { exactly: 'body.total' },
      { blames: ['body.total'] },
    ),
    on.needed('body.invoice', on.all(on.is('body.kind', 'goods'), on.above('body.total', '1000'))),
    on.while(on.is('body.kind', 'gift'), [on.fits('body.total', decimal({ max: '45' }), { code: 'no_gift' })]),
  ],
  lookups: (on) => {
    const parcel = on.lookup(ofOneself)
    const products = on.lookup({
      batch: true,
      reads: ['body.lines[].sku'],
      ask: ({ products }: Services, [skus]) => products.known(skus),
      refusal: { status: 422, code: 'no_such_product', message: 'no_such_product' },
    })
    return { parcel, products }
  },
})
const bookPickup = endpoint('POST /pickups', {
  success: 201,
  who,
  body: record({
    depot: slug,
    at: instant({ from: '+1h', until: '+60d' }),
    parcels: list(id, { length: [1, 200], distinct: true }),
  }),
  turn: { of: 'pickup', by: ['body.depot'], wait: '2s' },
  lookups: (on) => {
    const depot = on.lookup({
      reads: ['body.depot'],
      ask: ({ depots }: Services, [depot]) => depots.find(depot),
      refusal: { status: 422, code: 'no_such_depot', message: 'no_such_depot' },
    })
    const inHours = on.after({ depot }, ({ depot }, on) => [
      on.openAt('body.at', { zone: depot.zone, hours: depot.hours }),
      on.count('body.parcels[]', { atMost: depot.most }),
    ])
    const parcels = on.lookup({
      batch: true,
      reads: ['body.parcels[]', 'who'],
      ask: ({ parcels }: Services, [ids, caller]) => parcels.known(ids, caller),
      refusal: { status: 422, code: 'no_such_parcel', message: 'no_such_parcel' },
    })
    return { depot, inHours, parcels }
  },
})
const sendLabel = endpoint('PUT /parcels/{id}/label', {
  who,
  success: 204,
  path: { id },
  body: {
    'multipart/form-data': record({
      label: file({ types: ['application/pdf', 'image/png'], bytes: '1MB' }),
      sheet: record({ copies: integer({ min: 1, max: 9 }), paper: choice(['A6', 'A5']), remark: name }),
    }),
  },
  rules: (on) => [on.while(on.is('body.label.type', 'image/png'), [on.fits('body.sheet.copies', constant(1))])],
  lookups: (on) => ({ parcel: on.lookup(ofOneself) }),
})
const showLabel = endpoint('GET /parcels/{id}/label', {
  who,
  path: { id },
  header: { range: byteRanges({ optional: true }) },
  lookups: (on) => ({ parcel: on.lookup(ofOneself) }),
})

const track = endpoint('POST /tracking', {
  success: 202,
  who,
  may: (on) => on.is('who.role', 'carrier'),
  body: lines(
    record({
      parcel: id,
      at: instant({ from: '-7d', until: '+5m' }),
      event: choice(['collected', 'sorted', 'out', 'delivered']),
      place: tuple([number({ min: -90, max: 90 }), number({ min: -180, max: 180 })], { optional: true }),
    }),
    { length: [1, 1000] },
  ),
  rules: (on) => [
    on.inOrder('body[].at', { by: ['body[].parcel'] }),
    on.count('body[]', { where: on.is('body[].event', 'delivered'), atMost: 1, by: ['body[].parcel'] }),
    on.needed('body[].place', on.in('body[].event', ['collected', 'delivered'])),
  ],
  lookups: (on) => ({
    parcels: on.lookup({
      batch: true,
      reads: ['body[].parcel'],
      ask: ({ parcels }: Services, [ids]) => parcels.known(ids),
      refusal: { status: 422, code: 'no_such_parcel', message: 'no_such_parcel' },
    }),
  }),
})

/** What the carrier signs: the time, the target and the body. */
const signed = (key: string, time: string, target: string, bytes: Uint8Array) =>
  createHmac('sha256', key).update(`${time}\n${target}\n`).update(bytes).digest()
const secondsOf = (date: Date) => Math.floor(date.getTime() / 1000)
const fromCarrier: Attest<unknown, Services> = ({ bytes, head, now }, { hookKey }) => {
  const [time, signature] = [head.headers.get('signed-at') ?? '', head.headers.get('signature') ?? '']
  if (!/^[0-9a-f]{64}$/.test(signature)) return false
  if (!(Math.abs(secondsOf(now) - Number(time)) <= 300))
    return refuse({ status: 403, code: 'stale', message: 'stale', at: 'header.signed-at' })
  return timingSafeEqual(Buffer.from(signature, 'hex'), signed(hookKey, time, head.target, bytes))
}
export const signedWith =
  (key: string): Sign =>
  ({ bytes, target, now }) => {
    const time = String(secondsOf(now))
    return { 'signed-at': time, signature: signed(key, time, target, bytes).toString('hex') }
  }
const carrierHook = endpoint('POST /hooks/carrier', {
  success: 204,
  open: true,
  header: {
    signature: text({ length: [64, 64], optional: true }),
    'signed-at': text({ length: [1, 20], optional: true }),
  },
  body: tagged('event', {
    delivered: record({ parcel: id, signedBy: name, at: instant() }),
    lost: record({ parcel: id, lastSeen: instant({ until: '+0s' }) }),
  }),
  attest: fromCarrier,
  lookups: (on) => ({
    first: on.lookup({
      reads: ['header.signature'],
      ask: ({ replays }: Services, [signature]) => replays.isNew(signature),
      refusal: { status: 409, code: 'sent_before', message: 'sent_before' },
    }),
    parcel: on.lookup({
      reads: ['body.parcel'],
      ask: ({ parcels }: Services, [parcel]) => parcels.find(parcel),
      refusal: { status: 422, code: 'no_such_parcel', message: 'no_such_parcel' },
    }),
  }),
})

const weekday = list(tuple([timeOfDay(), timeOfDay()]), { optional: true, length: [0, 4] })
const setDepot = endpoint('PUT /depots/{depot}', {
  success: 204,
  path: { depot: slug },
  body: record({
    zone: text({ format: 'time-zone' }),
    hours: record({ mon: weekday, tue: weekday, wed: weekday, thu: weekday, fri: weekday, sat: weekday, sun: weekday }),
    most: integer({ min: 1, max: 200 }),
    /** Its area, as a ring that ends where it begins. */
    area: list(tuple([number({ min: -90, max: 90 }), number({ min: -180, max: 180 })]), {
      length: [4, 50],
      optional: true,
    }),
  }),
  rules: (on) => [on.equal('body.area[0]', 'body.area[-1]')],
})
const setTariff = endpoint('PUT /tariffs/{service}', {
  success: 204,
  path: { service },
  body: record({
    from: day({ from: '+1d', zone: 'Europe/Vienna' }),
    steps: list(
      record({
        aboveGrams: integer({ min: 0 }),
        upToGrams: integer({ optional: true, because: { waiting_rule: 'a step without an end never ends' } }),
        price: decimal({ scale: 2, min: '0' }),
      }),
      { length: [1, 20] },
    ),
    isDefault: flag({ default: false }),
  }),
  rules: (on) => [
    on.ascending('body.steps[].aboveGrams', 'body.steps[].upToGrams'),
    on.apart('body.steps[].aboveGrams', 'body.steps[].upToGrams', { seamless: true, openEnded: true }),
    on.inOrder('body.steps[].price', { orEqual: true }),
    on.absent('body.steps[-1].upToGrams', on.is('body.isDefault', true), { message: 'last_is_open' }),
  ],
})
const listDepots = endpoint('GET /depots', {
  open: true,
  query: {
    bbox: tuple(
      [
        number({ min: -90, max: 90 }),
        number({ min: -180, max: 180 }),
        number({ min: -90, max: 90 }),
        number({ min: -180, max: 180 }),
      ],
      { explode: false, optional: true },
    ),
  },
  rules: (on) => [on.ascending('query.bbox[0]', 'query.bbox[2]'), on.ascending('query.bbox[1]', 'query.bbox[3]')],
})

const ofShippers = group(
  { who, may: (on) => on.in('who.role', ['shipper', 'operator']) },
  {
    createParcels,
    listParcels,
    showParcel,
    changeParcel,
    cancelParcel,
    declareCustoms,
    bookPickup,
    sendLabel,
    showLabel,
  },
)
const ofOperators = group({ who, may: (on) => on.is('who.role', 'operator') }, { setDepot, setTariff })

/** The words of our own codes, in both languages. */
const words = {
  en: {
    no_such_parcel: 'is none of your parcels',
    reference_used: 'is the reference of an earlier parcel',
    no_such_depot: 'is none of our depots',
    no_such_product: 'is not in our catalogue',
    stale: 'is not within five minutes of now',
    sent_before: 'was sent before',
    last_is_open: 'must be left out: the last step has no end',
    changed: 'is not the current version',
    unsatisfiable: 'lies outside of the label',
  },
  de: {
    no_such_parcel: 'ist keines Ihrer Pakete',
    reference_used: 'ist die Referenz eines früheren Pakets',
    no_such_depot: 'ist keines unserer Depots',
    no_such_product: 'steht nicht in unserem Katalog',
    stale: 'liegt mehr als fünf Minuten neben der jetzigen Zeit',
    sent_before: 'wurde schon gesendet',
    last_is_open: 'muss fehlen: die letzte Stufe hat kein Ende',
    changed: 'ist nicht die aktuelle Version',
    unsatisfiable: 'liegt außerhalb des Etiketts',
  },
}
interface Problems {
  readonly status: number
  readonly problems: readonly { readonly at: string; readonly code: string; readonly text: string }[]
  readonly more: number
}
export const parcels = {
  title: 'Parcels',
  endpoints: { ...ofShippers, track, carrierHook, ...ofOperators, listDepots },
  languages: words,
  envelope: {
    write: (
      { errors }: { readonly errors: readonly { address: string; code: string; message: string }[] },
      { status, more = 0 }: { status: number; more?: number },
    ) => ({
      body: {
        status,
        problems: errors.map(({ address, code, message }) => ({ at: address, code, text: message })),
        more,
      } satisfies Problems,
      type: 'application/json',
    }),
    read: (body: unknown) =>
      (body as Problems).problems?.map(({ at, code, text }) => ({ address: at, code, message: text })),
  },
  identify({ headers }: Head, { callers }: Services) {
    const key = headers.get('authorization')?.replace(/^Bearer /, '')
    return key === undefined ? undefined : callers.find(key)
  },
}
export default intake(parcels)
