// biome-ignore-all format: a table reads line by line
/** Changes by JSON Merge Patch (RFC 7396): what a patch may say, and what comes of it. */
import { expect, test } from '@jest/globals'
import { adding, allOptional, endpoint, instant, intake, integer, judgeMerged, judgeParts, list, readAs, record, refuse, serve, table, tagged, text } from 'yosei'

const optional = { optional: true } as const
const session = record({
  id: text({ readOnly: 'drop' }), name: text({ messages: { too_short: 'is too short' }, length: [1, 9] }), note: text(optional), seconds: integer({ default: 60 }), maybe: text({ nullable: true }),
  window: record({ opens: instant({ from: '+2h' }), closes: instant(), label: text(optional) }, { rules: (on) => [on.ascending('opens', 'closes'), on.together('opens', 'label')] }),
  mode: tagged('k', { a: record({ n: integer() }), b: record({}) }, optional), tags: table(text(), optional), nights: list(record({ n: integer(), m: integer(optional) }), optional),
}, { rules: (on) => [on.needed('note', on.above('seconds', 100)), on.differ('name', 'maybe')] })
const read = { seen: readAs(text(optional), (value) => value?.length, { code: 'odd' }), must: readAs(text(), (value) => value.length, { code: 'odd' }) }
const book = endpoint('POST /s', { body: session })
const now = new Date('2031-03-01T12:00:00Z')
type Told = ReturnType<typeof judgeParts>
const told = (verdict: Told) => (verdict.outcome === 'rejected' ? verdict.errors.map(({ address, code, message }) => `${address} ${code}: ${message}`) : (verdict.input as { body: unknown }).body)
const at = (hour: number) => new Date(Date.UTC(2031, 0, 1, hour))

test.each<[string, object, object, unknown]>([
  ['nothing', {}, {}, {}],
  ['null removes what may be left out', { nullable: true }, { note: null, seconds: null, tags: null }, { note: null, seconds: null, tags: null }],
  ['and nothing else', { nullable: true, deep: true }, { name: null, maybe: null, window: { closes: null, label: null } }, ['body.name null_not_allowed: must not be removed', 'body.maybe null_not_allowed: must not be removed', 'body.window.closes null_not_allowed: must not be removed']],
  ['own words stay', { nullable: true }, { name: '' }, ['body.name too_short: is too short']],
  ['nor where it does not', {}, { note: null, maybe: null }, ['body.note null_not_allowed: must not be null']],
  ['records whole', { nullable: true }, { window: { opens: '2031-03-02T00:00:00Z', label: '' } }, ['body.window.closes missing: must be sent']],
  ['records field by field', { nullable: true, deep: true }, { window: { closes: '2031-03-02T00:00:00Z' } }, { window: { closes: new Date('2031-03-02T00:00:00Z') } }],
  ['lists and unions whole', { nullable: true, deep: true }, { mode: { k: 'a' }, nights: [{}] }, ['body.mode.n missing: must be sent', 'body.nights[0].n missing: must be sent']],
  ['rules that look at what was sent alone', { nullable: true, deep: true }, { seconds: 200, name: 'x', maybe: 'x', window: { opens: '2031-03-03T00:00:00Z', closes: '2031-03-02T00:00:00Z' } }, ['body.maybe equal_not_allowed: must not be the same as body.name ("x"); "x" was sent', 'body.window.closes out_of_order: must come after body.window.opens ("2031-03-03T00:00:00Z"); "2031-03-02T00:00:00Z" was sent']],
  ['what readers read, left out and taken away', { nullable: true, deep: true }, { read: { seen: null } }, { read: { seen: null } }],
  ['what readers read, and must be there', { nullable: true, deep: true }, { read: { must: null } }, ['body.read.must null_not_allowed: must not be removed']],
  ['what readers read, where null is nothing', { deep: true }, { read: { seen: 'ab' } }, { read: { seen: 2 } }],
])('a patch: %s', (_, options, body, expected) => {
  expect(told(judgeParts(endpoint('PATCH /s', { body: { 'application/merge-patch+json': allOptional(adding(session, { read: record(read, optional) }), options) } }), { body }, { now }))).toEqual(expected)
})

const stored = { id: 'x', owner: 5, name: 'a', note: 'n', seconds: 200, maybe: null, window: { opens: at(0), closes: at(2), label: 'l', extra: 1 }, mode: { k: 'a', n: 5 }, tags: null, nights: [{ n: 1, m: null, id: 7 }] }
const whole = { name: 'a', note: 'n', seconds: 200, maybe: null, window: { opens: at(0), closes: at(2), label: 'l' }, mode: { k: 'a', n: 5 }, nights: [{ n: 1 }] }
test.each<[string, object, unknown]>([
  ['nothing', {}, whole],
  ['a value, and one that is not said', { maybe: 'y', name: undefined, tags: { a: 'b' } }, { ...whole, maybe: 'y', tags: { a: 'b' } }],
  ['what is left out is read as left out', { seconds: null, nights: null }, (({ nights: _, ...rest }) => ({ ...rest, seconds: 60 }))(whole)],
  ['a union whole', { mode: { k: 'b' }, nights: [{ n: 2, m: 3 }] }, { ...whole, mode: { k: 'b' }, nights: [{ n: 2, m: 3 }] }],
  ['a field of a record', { window: { closes: at(3) } }, { ...whole, window: { ...whole.window, closes: at(3) } }],
  ['a rule with what stays', { note: null }, ['body.note needed: must be sent when body.seconds is more than 100']],
  ['a rule of a record with what stays', { window: { closes: at(-1), label: null } }, ['body.window not_together: needs all of body.window.opens, body.window.label, or none of them', 'body.window.closes out_of_order: must come after body.window.opens ("2031-01-01T00:00:00Z"); "2030-12-31T23:00:00Z" was sent']],
  ['a limit from now, of what changes', { window: { opens: at(1) } }, ['body.window.opens too_early: must not be before 2031-03-01T14:00:00Z; "2031-01-01T01:00:00Z" was sent']],
  ['what is not declared', { owner: 6, id: 'y', __proto__: { note: null } }, whole],
  ['a removal of what must be there', { name: null }, ['body.name missing: must be sent']],
])('what comes of a patch: %s', (_, patch, expected) => expect(told(judgeMerged(book, stored, patch, { now }) as never)).toEqual(expected))

test('a verdict is refused as it stands, in the language of the client', async () => {
  const change = endpoint('PATCH /s', { body: { 'application/merge-patch+json': allOptional(session, { nullable: true, deep: true }) } })
  const service = serve(intake({ endpoints: { change } }), { change: ({ body }) => {
    const verdict = judgeMerged(book, stored, body, { now })
    return verdict.outcome === 'rejected' ? refuse(verdict) : verdict.input.body.seconds
  } })
  const patch = (body: string, type = 'application/merge-patch+json') => service(new Request('http://x/s', { method: 'PATCH', body, headers: { 'content-type': type, 'accept-language': 'de' } }))
  const answers = [await patch('{"note":null}'), await patch('{"seconds":null,"note":null}'), await patch('{}', 'application/json')]
  expect(answers.map(({ status }) => status)).toEqual([422, 200, 415])
  expect(await answers[0]?.json()).toMatchObject({ fields: { 'body.note': [{ code: 'needed', detail: 'muss gesendet werden, wenn body.seconds mehr als 100 ist', pointer: '/note' }] } })
  // RFC 5789, section 2.2.
  expect(answers[2]?.headers.get('accept-patch')).toBe('application/merge-patch+json')
})
test('what is no whole makes no sense', () => {
  expect(() => judgeMerged(endpoint('GET /s', {}), {}, {} as never)).toThrow('its body is no record')
  expect(() => allOptional(session, { deeep: true } as never)).toThrow('allOptional() has no option deeep')
  expect(() => refuse(judgeParts(book, {}) as never)).not.toThrow()
})
