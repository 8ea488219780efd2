// biome-ignore-all format: a table reads line by line
/** The parcel service over its databases: what is accepted, and what is rejected where. I wrote what must come out first. */
import { spawn } from 'node:child_process'
import { once } from 'node:events'
import { readFileSync } from 'node:fs'
import { createInterface } from 'node:readline'
import { fileURLToPath } from 'node:url'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { outline } from 'yosei'
import { type Started, startPostgres, startRedis } from '../../observatory/test/servers.ts'
import app, { signedWith } from '../intake.ts'
import { makeService } from '../service.ts'
import { type Outside, openServices } from '../services.ts'

const now = new Date('2031-03-02T12:00:00Z')
const to = { name: 'Kim', street: 'Pier 4', postcode: ' 10 20 ', country: 'at' }
const parcel = (reference: string, more = {}) => ({ reference, depot: 'north', to, service: 'standard', grams: 900, size: [30, 20, 10], ...more })
const line = (sku: string, count: number, value: string, origin = 'AT') => ({ sku, count, value, origin })
const customs = { kind: 'goods', currency: 'EUR', lines: [line('atlas', 2, '19.90'), line('candle', 1, '5')], freight: '4.20', total: '49.00' }
const pickup = { depot: 'north', at: '2031-03-03T07:30:00Z', parcels: ['p-000001'] }
const steps = (...all: [above: number, upTo: number | undefined, price: string][]) => ({ from: '2031-04-01', steps: all.map(([aboveGrams, upToGrams, price]) => ({ aboveGrams, ...(upToGrams === undefined ? {} : { upToGrams }), price })) })
const area = [[48, 16], [48, 17], [49, 17], [48, 16]]
const depot = { zone: 'Europe/Vienna', hours: { mon: [['08:00', '12:00']] }, most: 2, area }
const events = (...all: object[]) => all.map((one) => JSON.stringify(one)).join('\n')
const event = (what: string, at: string, more = {}) => ({ parcel: 'p-000001', at: `2031-03-02T${at}:00Z`, event: what, ...more })
const place = [48.2, 16.4]
const label = (type: string, copies: number) => {
  const form = new FormData()
  form.set('sheet', new Blob([JSON.stringify({ copies, paper: 'A6', remark: 'up' })], { type: 'application/json' }))
  form.set('label', new Blob(['0123456789'], { type }), 'label')
  return form
}
type Problem = { readonly at: string; readonly code: string }
type Row = readonly [what: string, target: string, key: string, sent: { readonly body?: unknown; readonly headers?: { readonly [name: string]: string } }, status: number, ...problems: string[]]
const hooked = { event: 'lost', parcel: 'p-000002', lastSeen: '2031-03-02T10:00:00Z' }
const rows: readonly Row[] = [
  ['a batch of which one was wrong', 'POST /parcels', 'shipper', { body: { parcels: [parcel('a'), parcel('b', { size: [10, 20, 10] }), parcel('c')] } }, 207, 'body.parcels[1].size[0] out_of_order'],
  ['a reference twice, one used, an unknown depot', 'POST /parcels', 'shipper', { body: { parcels: [parcel('a'), parcel('d', { depot: 'south' }), parcel('e', { service: 'express' })] } }, 409, 'body.parcels[0].reference reference_used', 'body.parcels[1].depot no_such_depot', 'body.parcels[2].to.phone needed'],
  ['the reference of another shipper', 'POST /parcels', 'other', { body: { parcels: [parcel('a')] } }, 201],
  ['too bulky', 'POST /parcels', 'shipper', { body: { parcels: [parcel('f', { size: [200, 150, 140] })] } }, 422, 'body.parcels[0].size[0] above_max'],
  ['without a key', 'GET /parcels', '', {}, 401, 'header.authorization not_known'],
  ['by a carrier', 'GET /parcels', 'carrier', {}, 403, 'header.authorization not_allowed'],
  ['a list', 'GET /parcels?state=announced&sort=-id', 'shipper', {}, 200],
  ['a sort key twice, a span too long', 'GET /parcels?sort=id,-id&from=2031-01-01&until=2031-04-02', 'shipper', {}, 400, 'query.until too_far', 'query.sort[1] repeated'],
  ['a parcel', 'GET /parcels/p-000001', 'shipper', {}, 200],
  ['the same, not changed', 'GET /parcels/p-000001', 'shipper', { headers: { 'if-none-match': 'W/"7", "1"' } }, 304],
  ['a parcel of another', 'GET /parcels/p-000001', 'other', {}, 404, 'path.id no_such_parcel'],
  ['a change', 'PUT /parcels/p-000001', 'shipper', { headers: { 'if-match': '"1"' }, body: { ...parcel('x'), reference: undefined } }, 200],
  ['a change of the version before', 'PUT /parcels/p-000001', 'shipper', { headers: { 'if-match': '"1"' }, body: { ...parcel('x'), reference: undefined } }, 412, 'header.if-match changed'],
  ['a change without a version', 'PUT /parcels/p-000001', 'shipper', { body: parcel('x') }, 400, 'header.if-match missing', 'body.reference unlisted'],
  ['customs that add up', 'PUT /parcels/p-000001/customs', 'shipper', { body: customs }, 204],
  ['customs that do not, an unknown product', 'PUT /parcels/p-000001/customs', 'shipper', { body: { ...customs, total: '49.01' } }, 422, 'body.total unequal'],
  ['products in one query', 'PUT /parcels/p-000001/customs', 'shipper', { body: { ...customs, lines: [line('atlas', 2, '19.90'), line('moon', 1, '5')] } }, 422, 'body.lines[1].sku no_such_product'],
  ['a dear gift', 'PUT /parcels/p-000001/customs', 'shipper', { body: { ...customs, kind: 'gift' } }, 422, 'body.total no_gift'],
  ['dear goods', 'PUT /parcels/p-000001/customs', 'shipper', { body: { ...customs, freight: '1000', total: '1044.80' } }, 422, 'body.invoice needed'],
  ['a pickup in hours', 'POST /pickups', 'shipper', { body: pickup }, 201],
  ['at noon in Vienna, of too many', 'POST /pickups', 'shipper', { body: { ...pickup, at: '2031-03-03T11:00:00Z', parcels: ['p-000001', 'p-000002', 'p-000003', 'p-900000'] } }, 422, 'body.at closed_then', 'body.parcels too_many', 'body.parcels[2] no_such_parcel', 'body.parcels[3] no_such_parcel'],
  ['one parcel twice', 'POST /pickups', 'shipper', { body: { ...pickup, parcels: ['p-000001', 'p-000001'] } }, 422, 'body.parcels[1] repeated'],
  ['a label', 'PUT /parcels/p-000001/label', 'shipper', { body: label('application/pdf', 3) }, 204],
  ['copies of a picture', 'PUT /parcels/p-000001/label', 'shipper', { body: label('image/png', 3) }, 422, 'body.sheet.copies not_constant'],
  ['another type', 'PUT /parcels/p-000001/label', 'shipper', { body: label('text/html', 1) }, 422, 'body.label wrong_media_type'],
  ['a part of a label', 'GET /parcels/p-000001/label', 'shipper', { headers: { range: 'bytes=-3' } }, 206],
  ['beyond the label', 'GET /parcels/p-000001/label', 'shipper', { headers: { range: 'bytes=10-' } }, 416, 'header.range unsatisfiable'],
  ['tracking', 'POST /tracking', 'carrier', { body: events(event('collected', '09:00', { place }), event('sorted', '10:00')) }, 202],
  ['tracking out of order, without a place', 'POST /tracking', 'carrier', { body: events(event('sorted', '09:00'), event('delivered', '08:00')) }, 422, 'body[1].at out_of_order', 'body[1].place needed'],
  ['a parcel delivered twice, one unknown', 'POST /tracking', 'carrier', { body: events(event('delivered', '09:00', { place }), event('delivered', '10:00', { place }), event('sorted', '10:00', { parcel: 'p-900000' })) }, 422, 'body too_many'],
  ['tracking by a shipper', 'POST /tracking', 'shipper', { body: events(event('sorted', '09:00')) }, 403, 'header.authorization not_allowed'],
  ['a signed event', 'POST /hooks/carrier', 'signed', { body: hooked }, 204],
  ['the same again', 'POST /hooks/carrier', 'signed', { body: hooked }, 409, 'header.signature sent_before'],
  ['a forged one', 'POST /hooks/carrier', '', { body: hooked, headers: { signature: '0'.repeat(64), 'signed-at': String(now.getTime() / 1000) } }, 403, 'body not_genuine'],
  ['an old one', 'POST /hooks/carrier', '', { body: hooked, headers: { signature: '0'.repeat(64), 'signed-at': '1' } }, 403, 'header.signed-at stale'],
  ['a depot', 'PUT /depots/west', 'operator', { body: depot }, 204],
  ['an area that does not close', 'PUT /depots/west', 'operator', { body: { ...depot, zone: 'Europe/Wien', area: [...area.slice(0, 3), [48, 16.5]] } }, 422, 'body.zone wrong_format', 'body.area[3] unequal'],
  ['depots in a box', 'GET /depots?bbox=47,15,50,18', '', {}, 200],
  ['a box upside down', 'GET /depots?bbox=50,15,47,18', '', {}, 422, 'query.bbox[2] out_of_order'],
  ['a tariff', 'PUT /tariffs/express', 'operator', { body: steps([0, 500, '4'], [500, undefined, '6.50']) }, 204],
  ['a tariff with a gap', 'PUT /tariffs/express', 'operator', { body: steps([0, 500, '4'], [600, 900, '3']) }, 422, 'body.steps[1] too_far', 'body.steps[1].price out_of_order'],
  ['a last step with an end', 'PUT /tariffs/express', 'operator', { body: { ...steps([0, 500, '4']), isDefault: true } }, 422, 'body.steps[0].upToGrams not_allowed_here'],
  ['a tariff by a shipper', 'PUT /tariffs/express', 'shipper', { body: steps([0, undefined, '4']) }, 403, 'header.authorization not_allowed'],
  ['cancelled', 'DELETE /parcels/p-000002', 'shipper', { headers: { 'if-match': '"2"' } }, 204],
  ['cancelled by its old version', 'DELETE /parcels/p-000002', 'shipper', { headers: { 'if-match': '"2"' } }, 412, 'header.if-match changed'],
]

describe.each(['in this process', 'PostgreSQL and Redis'])('%s', (where) => {
  let outside: Outside
  let handle: ReturnType<typeof makeService>
  const started: Started[] = []
  beforeAll(async () => {
    if (where !== 'in this process') for (const one of [await startPostgres(), await startRedis()]) { if (!one) throw new Error('install postgresql and redis-server'); started.push(one) }
    outside = await openServices('known to both', ...started.map(({ url }) => url))
    handle = makeService(outside, { now: () => now })
  }, 60_000)
  afterAll(async () => {
    await outside.close()
    for (const one of started) await one.stop()
  })
  const send = async (target: string, key: string, { body, headers = {} }: Row[3], language = 'en') => {
    const [method = '', path = ''] = target.split(' ')
    const isForm = body instanceof FormData
    const written = body === undefined ? null : isForm || typeof body === 'string' ? body : JSON.stringify(body)
    const type = isForm || written === null ? {} : { 'content-type': typeof body === 'string' ? 'application/x-ndjson' : 'application/json' }
    const signature = key === 'signed' ? signedWith('known to both')({ bytes: new TextEncoder().encode(written as string), target: path, now } as never) : {}
    const who = key === '' || key === 'signed' ? {} : { authorization: `Bearer ${key}-key` }
    return handle(new Request(`https://parcels.example${path}`, { method, body: written as never, headers: { ...type, ...who, ...(signature as object), 'accept-language': language, ...headers } }))
  }
  test('each row', async () => {
    const came: unknown[] = []
    for (const [what, target, key, sent] of rows) {
      const answer = await send(target, key, sent)
      const body = answer.status === 204 || answer.status === 304 || !/json/.test(answer.headers.get('content-type') ?? '') ? {} : ((await answer.json()) as { problems?: Problem[]; pieces?: { problem?: { problems: Problem[] } }[] })
      const problems = body.problems ?? body.pieces?.flatMap(({ problem }) => problem?.problems ?? []) ?? []
      came.push([what, answer.status, ...problems.map(({ at, code }) => `${at} ${code}`)])
    }
    expect(came).toEqual(rows.map(([what, , , , ...expected]) => [what, ...expected]))
  })
  test('in German', async () => {
    const { problems } = await (await send('GET /parcels/p-000001', 'other', {}, 'de')).json() as { problems: object[] }
    expect(problems).toEqual([{ at: 'path.id', code: 'no_such_parcel', text: 'ist keines Ihrer Pakete' }])
  })
})

test('its command starts and ends', async () => {
  const child = spawn(process.execPath, [fileURLToPath(new URL('../start.js', import.meta.url))], { env: { ...process.env, PORT: '0' }, stdio: ['ignore', 'pipe', 'inherit'] })
  const [line] = (await once(createInterface({ input: child.stdout }), 'line')) as [string]
  const { depots } = (await (await fetch(`${line.replace('The parcel service: ', '')}/depots`)).json()) as { depots: unknown[] }
  expect(depots).toHaveLength(1)
  child.kill('SIGTERM')
  expect(await once(child, 'exit')).toEqual([0, null])
})

test('fourteen endpoints, and no check of its own', () => {
  const { endpoints } = outline(app)
  expect(Object.keys(endpoints)).toHaveLength(14)
  expect(JSON.stringify(endpoints)).not.toMatch(/"rule":"(?:check|find|fill)"/)
  expect(readFileSync(new URL('../intake.ts', import.meta.url), 'utf8')).not.toMatch(/\breadAs\b/)
})
