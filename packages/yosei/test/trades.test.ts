// biome-ignore-all format: a table reads line by line
/** What trades need, declared without a function of one's own: what is accepted, and what is rejected where. */
import { createHmac } from 'node:crypto'
import { expect, test } from '@jest/globals'
import { type Attest, choice, day, decimal, endpoint, entityTags, epoch, type Field, flag, httpDate, type Intake, instant, intake, integer, judge, later, list, number, outline, record, sortKeys, table, text, tuple } from 'yosei'

type Sent = { readonly body?: unknown; readonly target?: string; readonly headers?: { readonly [name: string]: string } }
type Row = { readonly app: Intake; readonly services?: unknown; readonly good: readonly Sent[]; readonly bad: readonly (readonly [Sent, ...errors: string[]])[] }
const of = (...bodies: unknown[]): Sent[] => bodies.map((body) => ({ body }))
const no = (body: unknown, ...errors: string[]) => [{ body }, ...errors] as const
const optional = { optional: true } as const
const one = (declared: Parameters<typeof intake>[0]['endpoints'][string]): Intake => intake({ endpoints: { declared } }) as Intake

const line = (gross: string, tax: string, net: string, more = {}) => ({ gross, tax, net, worker: 'w1', ...more })
const slip = record({ worker: text(), gross: decimal({ scale: 2 }), tax: decimal({ scale: 2 }), net: decimal({ scale: 2 }), extras: list(record({ hours: decimal(), rate: decimal() }), optional) },
  { rules: (on) => [on.sumWithin(['gross'], { less: ['tax'], exactly: 'net' })] })
const payroll = endpoint('POST /x', { body: record({ slips: list(slip), total: decimal(), month: text({ pattern: /^\d{4}-\d{2}$/ }) }), rules: (on) => [
  on.sumWithin('body.slips[].net', { exactly: 'body.total' }), on.distinct('body.slips[].worker'), on.sumWithin([['body.slips[].extras[].hours', 'body.slips[].extras[].rate']], { atMost: '500', rounded: 2, by: ['body.slips[].worker'] }),
] })
const stay = endpoint('POST /x', { body: record({ arrives: day(), leaves: day(), nights: integer(), guests: list(record({ name: text(), born: day(), pays: flag({ default: false }) }), { length: [1, 6] }), adults: integer() }), rules: (on) => [
  on.gap('body.arrives', 'body.leaves', { exactly: 'body.nights', in: 'd' }), on.gap('body.arrives', 'body.leaves', { atMost: '28d' }), on.count('body.guests[]', { where: on.is('body.guests[].pays', true), exactly: 1 }), on.count('body.guests[]', { where: on.below('body.guests[].born', '2013-01-01'), exactly: 'body.adults' }),
] })
const duty = record({ who: text(), from: instant(), until: instant(), role: choice(['captain', 'mate']) })
const crew = endpoint('POST /x', { body: record({ duties: list(duty) }), rules: (on) => [
  on.apart('body.duties[].from', 'body.duties[].until', { rest: '11h', by: ['body.duties[].who'] }), on.inOrder('body.duties[].from', { by: ['body.duties[].who'], orEqual: true }), on.count('body.duties[]', { where: on.is('body.duties[].role', 'captain'), atLeast: 1 }),
] })
interface Tree { name: string; parts?: Tree[] | undefined }
const tree: Field<Tree> = record({ name: text({ length: [1, 9] }), parts: list(later(() => tree), optional) }) as never
const graph = endpoint('POST /x', { body: record({ nodes: table(record({ kind: choice(['well', 'pump']) })), pipes: list(record({ id: text(), from: text(), to: text(), into: list(text(), optional) })) }), rules: (on) => [
  on.among('body.pipes[].from', { namesOf: 'body.nodes' }), on.among('body.pipes[].to', { namesOf: 'body.nodes' }), on.differ('body.pipes[].from', 'body.pipes[].to'), on.among('body.pipes[].into[]', 'body.pipes[].id'), on.acyclic('body.pipes[].id', 'body.pipes[].into[]'), on.distinct('body.pipes[].id'),
] })
const quota = endpoint('POST /x', { body: record({ most: integer(), catches: list(record({ boat: text(optional), kilos: integer({ min: 0 }) })) }), rules: (on) => [on.sumWithin('body.catches[].kilos', { atMost: 'body.most', by: ['body.catches[].boat'] }), on.count('body.catches[]', { atMost: 3, by: ['body.catches[].boat'] })] })
const tariff = endpoint('POST /x', { body: record({ tariffs: list(record({ from: day(), until: day(optional), steps: list(record({ above: integer(), upTo: integer(optional), cents: integer() })) })) }), rules: (on) => [
  on.apart('body.tariffs[].from', 'body.tariffs[].until', { lastIncluded: true, seamless: true, openEnded: true }), on.apart('body.tariffs[].steps[].above', 'body.tariffs[].steps[].upTo', { seamless: true, openEnded: true }),
] })
const box = endpoint('GET /x', { query: { bbox: tuple([number({ min: -180, max: 180 }), number({ min: -90, max: 90 }), number({ min: -180, max: 180 }), number({ min: -90, max: 90 })], { explode: false }), sort: sortKeys(['name', 'area'], optional), since: epoch({ unit: 's', optional: true }) }, rules: (on) => [on.ascending('query.bbox[1]', 'query.bbox[3]')] })
const corner = record({ x: number(), y: number() })
const polygon = endpoint('POST /x', { body: record({ rings: list(record({ corners: list(corner, { length: [4, 9] }) })), label: text(optional) }), rules: (on) => [
  on.equal('body.rings[].corners[0].x', 'body.rings[].corners[-1].x'), on.equal('body.rings[].corners[0].y', 'body.rings[].corners[-1].y'), on.ascending('body.rings[0].corners[].x', 'body.rings[0].corners[1].x', { orEqual: true }), on.needed('body.label', on.sent('body.rings[1]')),
] })
const ring = (...all: [x: unknown, y: number][]) => ({ corners: all.map(([x, y]) => ({ x, y })) })
const tagged_ = endpoint('GET /x', { header: { 'if-none-match': entityTags(optional), 'if-modified-since': httpDate(optional) }, rules: (on) => [on.atMostOne('header.if-none-match', 'header.if-modified-since')] })
interface Depots { depots: { [id: string]: { zone: string; hours: { mon: [string, string][] }; most: number } | undefined }; stock: { [sku: string]: { weight: number } | undefined } }
const parcels = endpoint('POST /x', { body: record({ depot: text(), pickup: instant(), lines: list(record({ sku: text(), count: integer({ min: 1 }), value: decimal() })), total: decimal() }), rules: (on) => [on.sumWithin([['body.lines[].count', 'body.lines[].value']], { exactly: 'body.total', rounded: 2 })],
  lookups: (on) => {
    const depot = on.lookup({ reads: ['body.depot'], ask: ({ depots }: Depots, [id]) => depots[id] })
    return { depot, open: on.after({ depot }, ({ depot }, on) => [on.openAt('body.pickup', { zone: depot.zone, hours: depot.hours }), on.sumWithin('body.lines[].count', { atMost: depot.most })]), known: on.lookup({ batch: true, reads: ['body.lines[].sku'], ask: ({ stock }: Depots, [skus]) => skus.map((sku) => stock[sku]) }) }
  } })
const parcel = { depot: 'north', pickup: '2031-03-03T07:30:00Z', lines: [{ sku: 'a', count: 3, value: '1.10' }, { sku: 'b', count: 1, value: '2' }], total: '5.30' }
const mac = (body: unknown) => createHmac('sha256', 'k').update(JSON.stringify(body)).digest('hex')
const attest: Attest<unknown, { key: string }> = ({ bytes, head }, { key }) => head.headers.get('x-mac') === createHmac('sha256', key).update(bytes).digest('hex')
const hook = endpoint('POST /x', { body: record({ event: choice(['sent', 'lost']) }), attest })
const batch = endpoint('POST /x', { body: list(record({ from: day(), until: day() }, { rules: (on) => [on.ascending('from', 'until')] }), { piecewise: true }) })
const roster = (...all: [who: string, from: number, until: number, role?: string][]) => ({ duties: all.map(([who, from, until, role = 'captain']) => ({ who, from: new Date(Date.UTC(2031, 2, 1, from)).toISOString(), until: new Date(Date.UTC(2031, 2, 1, until)).toISOString(), role })) })
const stayed = { arrives: '2031-03-01', leaves: '2031-03-04', nights: 3, guests: [{ name: 'a', born: '1990-05-05', pays: true }, { name: 'b', born: '2020-05-05' }], adults: 1 }
const caught = (...all: [boat: string | undefined, kilos: number][]) => ({ most: 100, catches: all.map(([boat, kilos]) => ({ kilos, ...(boat === undefined ? {} : { boat }) })) })
const pipe = (id: string, from: string, to: string, ...into: string[]) => ({ id, from, to, into })
const nodes = { a: { kind: 'well' }, b: { kind: 'pump' } }
const prices = (...steps: [above: number, upTo?: number][]) => steps.map(([above, upTo]) => ({ above, cents: 5, ...(upTo === undefined ? {} : { upTo }) }))
const rows: { readonly [trade: string]: Row } = {
  'payroll totals': { app: one(payroll), good: of({ month: '2031-03', total: '1500.50', slips: [line('1000', '300', '700'), line('1000.50', '200', '800.50', { worker: 'w2' })] }, { month: '2031-03', total: '1', slips: [line('2', '1', '1', { extras: [{ hours: '7.5', rate: '66.666' }] })] }),
    bad: [no({ month: '2031-03', total: '1500.51', slips: [line('1000', '300', '700'), line('1000.50', '200', '800.50', { worker: 'w2' })] }, 'body.slips unequal'), no({ month: '2031-03', total: '701', slips: [line('1000', '300', '701')] }, 'body.slips[0].gross unequal'), no({ month: '2031-03', total: '2', slips: [line('2', '1', '1'), line('2', '1', '1')] }, 'body.slips[1] repeated'), no({ month: '2031-03', total: '1', slips: [line('2', '1', '1', { extras: [{ hours: '8', rate: '62.51' }] })] }, 'body.slips above_max')] },
  'hotel nights': { app: one(stay), good: of(stayed), bad: [no({ ...stayed, nights: 4 }, 'body.leaves too_close'), no({ ...stayed, leaves: '2031-04-01', nights: 31 }, 'body.leaves too_far'), no({ ...stayed, guests: [{ name: 'a', born: '1990-05-05' }] }, 'body.guests too_few'), no({ ...stayed, adults: 2 }, 'body.guests too_few')] },
  'crew rest': { app: one(crew), good: of(roster(['ada', 0, 8], ['bo', 6, 12, 'mate'], ['ada', 19, 24])), bad: [no(roster(['ada', 0, 8], ['ada', 18, 24]), 'body.duties[1] too_close'), no(roster(['ada', 0, 8], ['ada', 7, 9]), 'body.duties[1] overlaps'), no(roster(['ada', 20, 24], ['ada', 0, 8]), 'body.duties[1].from out_of_order'), no(roster(['ada', 0, 8, 'mate']), 'body.duties too_few')] },
  'trees in one body': { app: one(endpoint('POST /x', { body: tree })), good: of({ name: 'a', parts: [{ name: 'b', parts: [{ name: 'c' }] }] }), bad: [no({ name: 'a', parts: [{ name: 'b', parts: [{ name: '' }] }] }, 'body.parts[0].parts[0].name too_short')] },
  'graphs in one body': { app: one(graph), good: of({ nodes, pipes: [pipe('p', 'a', 'b', 'q'), pipe('q', 'b', 'a')] }), bad: [no({ nodes, pipes: [pipe('p', 'a', 'c')] }, 'body.pipes[0].to not_among'), no({ nodes, pipes: [pipe('p', 'a', 'a')] }, 'body.pipes[0].to equal_not_allowed'), no({ nodes, pipes: [pipe('p', 'a', 'b', 'q'), pipe('q', 'b', 'a', 'p')] }, 'body.pipes[1].into[0] in_a_cycle'), no({ nodes, pipes: [pipe('p', 'a', 'b', 'x')] }, 'body.pipes[0].into[0] not_among')] },
  'quotas by group': { app: one(quota), good: of(caught(['x', 60], ['y', 60], ['x', 40]), caught([undefined, 100], ['x', 100])), bad: [no(caught(['x', 60], ['y', 60], ['x', 41]), 'body.catches above_max'), no(caught([undefined, 60], [undefined, 41]), 'body.catches above_max'), no(caught(['x', 1], ['x', 1], ['x', 1], ['x', 1]), 'body.catches too_many')] },
  'tariffs without gaps': { app: one(tariff), good: of({ tariffs: [{ from: '2031-01-01', until: '2031-03-31', steps: prices([0, 10], [10]) }, { from: '2031-04-01', steps: prices([0]) }] }), bad: [no({ tariffs: [{ from: '2031-01-01', until: '2031-03-31', steps: [] }, { from: '2031-04-02', steps: [] }] }, 'body.tariffs[1] too_far'), no({ tariffs: [{ from: '2031-01-01', steps: [] }, { from: '2031-04-02', steps: [] }] }, 'body.tariffs[1] overlaps'), no({ tariffs: [{ from: '2031-01-01', steps: prices([0, 10], [11]) }] }, 'body.tariffs[0].steps[1] too_far')] },
  'bounding boxes': { app: one(box), good: [{ target: '/x?bbox=16,47.5,17,48.5&sort=area,-name&since=1930000000' }], bad: [[{ target: '/x?bbox=16,47.5,17' }, 'query.bbox too_few'], [{ target: '/x?bbox=16,97.5,17,98' }, 'query.bbox[1] above_max', 'query.bbox[3] above_max'], [{ target: '/x?bbox=16,48.5,17,47.5' }, 'query.bbox[3] out_of_order'], [{ target: '/x?bbox=1,2,3,4&sort=area,area' }, 'query.sort[1] repeated']] },
  'polygons, whose rings close': { app: one(polygon), good: of({ rings: [ring([0, 0], [4, 0], [4, 3], [0, 0])] }, { rings: [] }, { label: 'a', rings: [ring([0, 0], [4, 0], [4, 3], [0, 0]), ring([1, 1], [9, 1], [2, 2], [1, 1])] }),
    bad: [no({ rings: [ring([0, 0], [4, 0], [4, 3], [0, 1])] }, 'body.rings[0].corners[3].y unequal'), no({ rings: [ring([0, 0], [4, 0], ['x', 3], [1, 1])] }, 'body.rings[0].corners[2].x wrong_type', 'body.rings[0].corners[3].x unequal', 'body.rings[0].corners[3].y unequal'), no({ rings: [ring([0, 0], [4, 0], [4, 3], ['x', 1])] }, 'body.rings[0].corners[3].x wrong_type', 'body.rings[0].corners[3].y unequal'),
      no({ rings: [ring([0, 0], [1, 0], [4, 3], [0, 0])] }, 'body.rings[0].corners[1].x out_of_order'), no({ rings: [ring([0, 0], [4, 0], [4, 3], [0, 0]), ring([0, 0], [4, 0], [4, 3], [1, 0])] }, 'body.rings[1].corners[3].x unequal', 'body.label needed')] },
  ETags: { app: one(tagged_), good: [{ target: '/x', headers: { 'if-none-match': 'W/"a", "b"' } }, { target: '/x', headers: { 'if-none-match': '*' } }], bad: [[{ target: '/x', headers: { 'if-none-match': 'a' } }, 'header.if-none-match wrong_format'], [{ target: '/x', headers: { 'if-none-match': '*', 'if-modified-since': 'Sat, 01 Mar 2031 22:30:00 GMT' } }, 'header more_than_one']] },
  'a depot that only the database knows': { app: one(parcels), services: { depots: { north: { zone: 'Europe/Vienna', hours: { mon: [['08:00', '12:00']] }, most: 5 } }, stock: { a: {}, b: {} } } satisfies { depots: Depots['depots']; stock: object }, good: of(parcel), bad: [no({ ...parcel, pickup: '2031-03-03T11:00:00Z' }, 'body.pickup closed_then'), no({ ...parcel, lines: [{ sku: 'a', count: 6, value: '1' }], total: '6' }, 'body.lines above_max'), no({ ...parcel, total: '5.31' }, 'body.lines unequal'), no({ ...parcel, lines: [{ sku: 'z', count: 1, value: '1' }, { sku: 'a', count: 1, value: '1' }], total: '2' }, 'body.lines[0].sku not_found'), no({ ...parcel, depot: 'south' }, 'body.depot not_found')] },
  'signed webhooks': { app: one(hook), services: { key: 'k' }, good: [{ body: { event: 'sent' }, headers: { 'x-mac': mac({ event: 'sent' }) } }], bad: [[{ body: { event: 'lost' }, headers: { 'x-mac': mac({ event: 'sent' }) } }, 'body not_genuine'], [{ body: { event: 'x' }, headers: { 'x-mac': mac({ event: 'x' }) } }, 'body.event not_a_choice']] },
  'batches, one by one': { app: one(batch), good: of([{ from: '2031-03-01', until: '2031-03-02' }, { from: 'x', until: '2031-03-02' }]), bad: [no([{ from: '2031-03-03', until: '2031-03-02' }], 'body[0].until out_of_order')] },
}
const judged = async ({ app, services = {} }: Row, { body, target = '/x', headers = {} }: Sent) => {
  const verdict = await judge(app, { method: body === undefined ? 'GET' : 'POST', target, headers: { ...(body === undefined ? {} : { 'content-type': 'application/json' }), ...headers }, body: body === undefined ? null : JSON.stringify(body) }, { services })
  return verdict.outcome === 'rejected' ? verdict.errors.map(({ address, code }) => `${address} ${code}`) : verdict.outcome
}
test.each(Object.entries(rows))('%s', async (_, row) => {
  for (const sent of row.good) expect([sent, await judged(row, sent)]).toEqual([sent, 'accepted'])
  for (const [sent, ...errors] of row.bad) expect([sent, await judged(row, sent)]).toEqual([sent, errors])
  const [declared] = Object.values(outline(row.app).endpoints)
  const written = JSON.stringify(declared)
  expect(written).not.toMatch(/"rule":"(?:check|find|fill)"/)
})
