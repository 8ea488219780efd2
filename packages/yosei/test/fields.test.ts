// biome-ignore-all format: a table reads as a table
/**
 * Every kind, with every option, from text, from JSON, and from JSON with `coerce`: what is read, or what is reported and
 * where.
 */
import { describe, expect, test } from '@jest/globals'
import { anything, bigInteger, byteRanges, choice, constant, day, decimal, duration, either, endpoint, entityTags, epoch, type Field, type Format, flag, httpDate, instant, intake, integer, judge, judgeParts, later, list, number, readAs, record, sortKeys, table, tagged, text, timeOfDay, tuple, write } from 'yosei'

const now = new Date('2031-03-01T12:00:00Z')

/** Codes, each with the rest of its address below the field. */
class Told {
  readonly errors: string[]
  constructor(...errors: string[]) {
    this.errors = errors
  }
}
const told = (...errors: string[]) => new Told(...errors)
const absent = Symbol('absent')

/** Sources: t from text (a query), j from JSON, c from JSON with `coerce`. */
function judgedFrom(source: string, field: Field, sent: unknown) {
  const parts = sent === absent ? {} : { x: sent }
  const verdict = source === 't'
    ? judgeParts(endpoint('GET /x', { query: { x: field } }), { query: parts }, { now })
    : judgeParts(endpoint('POST /x', { coerce: source === 'c', body: record({ x: field }) }), { body: parts }, { now })
  const place = source === 't' ? 'query.x' : 'body.x'
  if (verdict.outcome === 'rejected') return told(...verdict.errors.map(({ address, code }) => `${address.slice(place.length)} ${code}`.trim()))
  const read = (verdict.input as { query: object; body: object })[source === 't' ? 'query' : 'body']
  return 'x' in read ? read.x : absent
}

type Case = [sources: string, sent: unknown, expected: unknown]
type Row = [title: string, field: Field, cases: Case[]]
const same = (sources: string, ...values: unknown[]): Case[] => values.map((value) => [sources, value, value])
const all = (sources: string, expected: unknown, ...values: unknown[]): Case[] => values.map((value) => [sources, value, expected])

interface Tree { name: string; parts: Tree[] }
const tree: Field<Tree> = record({ name: text(), parts: list(later(() => tree)) })
const nested = (depth: number): object => (depth === 0 ? { name: 'a', parts: [] } : { name: 'a', parts: [nested(depth - 1)] })

const rows: Row[] = [
  // need, of every kind alike
  ['required', text(), [['tjc', absent, told('missing')], ['jc', undefined, told('missing')], ['jc', null, told('null_not_allowed')], ['t', '', told('missing')], ['jc', '', '']]],
  ['optional', integer({ optional: true }), [['tjc', absent, absent], ['t', '', absent], ['j', '', told('wrong_type')], ['c', '', told('wrong_type')], ['jc', null, told('null_not_allowed')]]],
  ['default', integer({ default: 7 }), [['tjc', absent, 7], ['t', '', 7], ['jc', null, told('null_not_allowed')], ['jc', 8, 8]]],
  ['optional later', later(() => integer(), { optional: true }), [['tjc', absent, absent], ['t', '', absent], ['jc', 1, 1], ['jc', null, told('null_not_allowed')], ['t', 'x', told('wrong_type')]]],
  ['nullable later', later(() => integer(), { nullable: true }), [['jc', null, null], ['jc', 1, 1], ['jc', absent, told('missing')]]],
  ['default that is made', list(integer(), { default: () => [1] }), [['tjc', absent, [1]], ['jc', [], []]]],
  ['nullable', integer({ nullable: true }), [['jc', null, null], ['jc', 1, 1], ['tjc', absent, told('missing')], ['t', 'null', told('wrong_type')]]],
  ['nullable with default', integer({ nullable: true, default: 7 }), [['jc', null, null], ['tjc', absent, 7]]],
  ['readOnly', text({ readOnly: true }), [['tjc', absent, absent], ['tjc', 'a', told('read_only')], ['jc', null, told('read_only')]]],
  ['readOnly drop', text({ readOnly: 'drop' }), [['tjc', absent, absent], ['tjc', 'a', absent]]],
  ['readOnly with default', text({ readOnly: 'drop', default: 'z' }), [['tjc', 'a', 'z'], ['tjc', absent, 'z']]],
  ['coerce, nearest setting', integer({ coerce: true }), [['tjc', '5', 5]]],
  ['coerce off inside', record({ a: integer() }, { coerce: false }), [['jc', { a: '5' }, told('.a wrong_type')]]],
  // text
  ['text', text(), [...same('tjc', 'a', ' a ', '\u0000', '💫'), ...all('jc', told('wrong_type'), 1, true, [], {}), ['t', ['a', 'b'], told('sent_twice')]]],
  ['text length', text({ length: [2, 3] }), [...same('tjc', 'ab', 'abc', '💫💫💫'), ...all('tjc', told('too_short'), 'a', '💫'), ...all('tjc', told('too_long'), 'abcd', '💫💫💫💫')]],
  ['text pattern, without its state', text({ pattern: /^[a-z]+$/g }), [...same('tjc', 'ab', 'ab', 'ab'), ...all('tjc', told('wrong_pattern'), 'AB', '1')]],
  ['text, all limits at once', text({ length: [4, 9], pattern: /^[a-z]+$/, format: 'uuid' }), [['tjc', 'A1', told('too_short', 'wrong_pattern', 'wrong_format')]]],
  ['text trim', text({ tidy: ['trim'], length: [1, 2] }), [['tjc', '  ab\t', 'ab'], ['tjc', '   ', told('too_short')]]],
  ['text case', text({ tidy: ['lower'], pattern: /^[a-z]+$/ }), [['tjc', 'AbC', 'abc']]],
  ['text case upper', text({ tidy: ['upper'] }), [['tjc', 'abß', 'ABSS']]],
  ['text squeeze, in its order', text({ tidy: ['upper', 'squeeze', 'trim'], length: [1, 3] }), [['tjc', ' a  \t b ', 'A B']]],
  ['text compact', text({ tidy: ['compact', 'upper'], length: [1, 6] }), [['tjc', ' at 12\t34 ', 'AT1234'], ['tjc', '  ', told('too_short')]]],
  ['text normalize', text({ tidy: ['NFC'], length: [1, 1] }), [['tjc', 'e\u0301', 'é']]],
  ['text normalize compatibly', text({ tidy: ['NFKC'] }), [['tjc', 'ﬁ①', 'fi1']]],
  ['text keepEmpty', text({ keepEmpty: true }), [['tjc', '', '']]],
  // integer
  ['integer', integer(), [
    ...same('jc', 0, 1, -1, 9007199254740991, -9007199254740991), ['tc', '5', 5], ['tc', '-5', -5], ['tc', '0', 0], ['tc', '-0', 0], ['jc', -0, 0], ['jc', 1.0, 1],
    ...all('tc', told('wrong_type'), '+5', '007', '1.0', '1e3', ' 5', '5 ', '0x10', '1_000', 'five', '٣', '-', 'Infinity'),
    ['j', '5', told('wrong_type')], ...all('jc', told('wrong_type'), true, [], {}), ...all('jc', told('not_whole'), 1.5, 0.1), ...all('jc', told('out_of_range'), 9007199254740992, -1e300, Number.POSITIVE_INFINITY),
    ...all('tc', told('out_of_range'), '9007199254740992', '-9007199254740993', `1${'0'.repeat(400)}`), ['t', ['1', '2'], told('sent_twice')],
  ]],
  ['integer min, max', integer({ min: 1, max: 9 }), [...same('jc', 1, 9), ['tc', '9', 9], ...all('jc', told('below_min'), 0), ...all('tc', told('above_max'), '10'), ['jc', 1e17, told('out_of_range')]]],
  ['integer above, below', integer({ above: 1, below: 9 }), [...same('jc', 2, 8), ['jc', 1, told('below_min')], ['tc', '9', told('above_max')]]],
  ['integer step', integer({ step: 5 }), [...same('jc', 0, 10, -5), ...all('jc', told('not_a_step'), 7), ['tc', '7', told('not_a_step')]]],
  ['integer, every limit', integer({ min: 10, step: 5 }), [['jc', 7, told('below_min', 'not_a_step')]]],
  // number
  ['number', number(), [
    ...same('jc', 0, 1.5, -1e-7, 1e300), ['tc', '1.5', 1.5], ['tc', '1e3', 1000], ['tc', '-0.5E-2', -0.005], ['tc', '-0', 0],
    ...all('tc', told('wrong_type'), 'Infinity', 'NaN', '.5', '5.', '1_000', '+1', '01', ' 1', '0x1', '1e'), ['tc', '1e400', told('out_of_range')], ['j', '1', told('wrong_type')],
    ...all('jc', told('out_of_range'), Number.POSITIVE_INFINITY, Number.NaN), ...all('jc', told('wrong_type'), true, [1]),
  ]],
  ['number limits', number({ above: 0, max: 1 }), [...same('jc', 0.1, 1), ['jc', 0, told('below_min')], ['tc', '1.01', told('above_max')]]],
  ['number step, exactly', number({ step: 0.1 }), [...same('jc', 0.3, 0.7, 1e6, -0.2, 1.1), ...all('jc', told('not_a_step'), 0.35, 1e-7), ['tc', '0.3', 0.3]]],
  // bigInteger
  ['bigInteger', bigInteger(), [
    ['tjc', '12345678901234567890', 12345678901234567890n], ['tjc', '-1', -1n], ['jc', 5, 5n], ...all('jc', told('out_of_range'), 9007199254740992, 1e300, Number.POSITIVE_INFINITY), ['jc', 1.5, told('not_whole')],
    ...all('tjc', told('wrong_type'), '1.0', '+1', '01', 'x', '0x1'), ...all('jc', told('wrong_type'), true, {}), ['tjc', '1'.repeat(1001), told('out_of_range')],
  ]],
  ['bigInteger limits', bigInteger({ min: 10n, below: 20n, step: 2n }), [['tjc', '10', 10n], ['tjc', '8', told('below_min')], ['tjc', '20', told('above_max')], ['tjc', '13', told('not_a_step')]]],
  ['day of the week', day({ weekdays: ['mon', 'sun'] }), [...same('tjc', '2031-03-02', '2031-03-03', '1969-12-29', '0001-01-01', '9999-12-27'), ...all('tjc', told('not_a_choice'), '2031-03-01', '2031-03-04'), ...all('tjc', told('unreal_date'), '2031-02-30')]],
  // decimal
  ['decimal', decimal(), [...same('tjc', '0', '12.50', '-0.1', '123456789012345678901234567890.5'), ...all('tjc', told('wrong_type'), '1.', '.5', '01', '1e3', '+1', ''.padEnd(1, 'x'), '1,5'), ...all('jc', told('wrong_type'), 1, 1.5)]],
  ['decimal numbers', decimal({ numbers: true, scale: 7, max: '1000000000000000000000' }), [...same('tjc', '12.50'), ...all('j', '12.5', 12.5), ...all('j', '0', -0, 0), ...all('j', '1000000000000000000000', 1e21), ...all('j', '0.0000001', 1e-7), ...all('j', told('too_many_digits'), 1e-8), ...all('j', told('wrong_type'), true, 'x')]],
  ['decimal digits, all behind the point', decimal({ digits: 2, scale: 2 }), same('tjc', '0.12')],
  ['decimal digits, scale', decimal({ digits: 4, scale: 2 }), [...same('tjc', '12.34', '0.12', '1234'), ['tjc', '123.45', told('too_many_digits')], ['tjc', '1.234', told('too_many_digits')], ['tjc', '123.456', told('too_many_digits', 'too_many_digits')]]],
  ['decimal min, max', decimal({ min: '-0.50', max: '10' }), [...same('tjc', '-0.5', '10.00', '-0', '9.999'), ...all('tjc', told('below_min'), '-0.51', '-10'), ...all('tjc', told('above_max'), '10.01', '100')]],
  // flag
  ['flag', flag(), [...same('jc', true, false), ...all('tc', true, 'true', '1'), ...all('tc', false, 'false', '0'), ...all('tc', told('wrong_type'), 'yes', 'TRUE', 'on', ' true'), ...all('j', told('wrong_type'), 'true', '1'), ...all('jc', told('wrong_type'), 1, 0)]],
  // instant
  ['instant', instant(), [
    ['tjc', '2031-03-01T12:00:00Z', now], ['tjc', '2031-03-01t12:00:00.000z', now], ['tjc', '2031-03-01T17:30:00+05:30', now], ['tjc', '2031-02-28T23:00:00-13:00', now], ['tjc', '2031-03-01T12:00:00-00:00', now],
    ['tjc', '2031-03-01T12:00:00.123456789Z', new Date('2031-03-01T12:00:00.123Z')], ['tjc', '2028-02-29T00:00:00Z', new Date('2028-02-29T00:00:00Z')], ['tjc', '0001-01-01T00:00:00Z', new Date('0001-01-01T00:00:00Z')],
    ['tjc', '2016-12-31T23:59:60Z', new Date('2016-12-31T23:59:59Z')], ['tjc', '2017-01-01T00:59:60+01:00', new Date('2016-12-31T23:59:59Z')],
    ...all('tjc', told('wrong_format'), '2031-03-01', '2031-03-01T12:00Z', '2031-03-01 12:00:00Z', '2031-03-01T12:00:00', '2031-3-1T12:00:00Z', '+2031-03-01T12:00:00Z', '2031-03-01T12:00:00+0530', 'tomorrow', '1930000000'),
    ...all('tjc', told('unreal_date'), '2031-02-29T00:00:00Z', '2100-02-29T00:00:00Z', '2031-04-31T00:00:00Z', '2031-13-01T00:00:00Z', '2031-00-10T00:00:00Z', '2031-03-00T00:00:00Z', '2031-03-01T24:00:00Z', '2031-03-01T12:60:00Z', '2031-03-01T12:00:61Z', '2031-03-01T12:00:00+24:00', '2016-12-31T22:59:60Z', '2016-12-30T23:59:60Z'),
    ...all('jc', told('wrong_type'), 1930000000, true, {}),
  ]],
  ['instant from, until', instant({ from: '2031-01-01T00:00:00Z', until: new Date('2031-12-31T00:00:00Z') }), [['tjc', '2031-01-01T00:00:00Z', new Date('2031-01-01T00:00:00Z')], ['tjc', '2030-12-31T23:59:59Z', told('too_early')], ['tjc', '2031-12-31T00:00:00.001Z', told('too_late')]]],
  ['instant by the clock', instant({ from: '-15m', until: '+1d' }), [['tjc', '2031-03-01T11:45:00Z', new Date('2031-03-01T11:45:00Z')], ['tjc', '2031-03-01T11:44:59.999Z', told('too_early')], ['tjc', '2031-03-02T12:00:01Z', told('too_late')]]],
  // day
  ['day', day(), [...same('tjc', '2031-03-01', '2028-02-29', '0000-02-29'), ...all('tjc', told('unreal_date'), '2031-02-29', '1900-02-29', '2031-13-01', '2031-04-31'), ...all('tjc', told('wrong_format'), '2031-3-1', '20310301', '2031-03-01T00:00:00Z'), ['jc', 20310301, told('wrong_type')]]],
  ['instant in a zone', instant({ zone: 'Europe/Paris' }), [
    ['tjc', '2031-03-01T22:30:00', new Date('2031-03-01T21:30:00Z')], ['tjc', '2031-07-01T22:30', new Date('2031-07-01T20:30:00Z')], ['tjc', '2031-07-01t22:30:00.25', new Date('2031-07-01T20:30:00.250Z')], ['tjc', '2031-03-01T22:30:00Z', new Date('2031-03-01T22:30:00Z')],
    ['tjc', '2031-03-30T01:59:59', new Date('2031-03-30T00:59:59Z')], ...all('tjc', told('unreal_date'), '2031-03-30T02:00', '2031-03-30T02:59:59', '2031-02-29T10:00', '2031-03-01T24:00', '2031-03-01T10:00:60'), ['tjc', '2031-03-30T03:00', new Date('2031-03-30T01:00:00Z')],
    ['tjc', '2031-10-26T02:30', new Date('2031-10-26T00:30:00Z')], ['tjc', '2031-10-26T03:00', new Date('2031-10-26T02:00:00Z')], ...all('tjc', told('wrong_format'), '2031-03-01', '2031-03-01T22', '2031-03-01 22:30', '2031-03-01T22:30:00.')]],
  ['instant in a zone of odd hours', instant({ zone: 'Australia/Lord_Howe' }), [['jc', '2031-04-06T01:45', new Date('2031-04-05T14:45:00Z')], ['jc', '2031-10-05T02:15', told('unreal_date')], ['jc', '2031-10-05T02:30', new Date('2031-10-04T15:30:00Z')]]],
  ['instant by the calendar', instant({ from: '-1mo', until: '+1y' }), [['tjc', '2031-02-01T12:00:00Z', new Date('2031-02-01T12:00:00Z')], ['tjc', '2031-02-01T11:59:59Z', told('too_early')], ['tjc', '2032-03-01T12:00:00.001Z', told('too_late')]]],
  // A month before, at noon of UTC, is one o'clock in Paris; a month later the clocks have gone on.
  ['instant by the calendar of a zone', instant({ from: '+1mo', zone: 'Europe/Paris' }), [['jc', '2031-04-01T11:00:00Z', new Date('2031-04-01T11:00:00Z')], ['jc', '2031-04-01T10:59:59Z', told('too_early')]]],
  ['day by the calendar', day({ from: '-18y', until: '+6mo' }), [...same('tjc', '2013-03-01', '2031-09-01'), ['tjc', '2013-02-28', told('too_early')], ['tjc', '2031-09-02', told('too_late')]]],
  ['timeOfDay', timeOfDay(), [['tjc', '20:30', '20:30:00'], ...same('tjc', '20:30:15', '00:00:00', '23:59:59'), ...all('tjc', told('unreal_date'), '24:00', '12:60', '12:00:60'), ...all('tjc', told('wrong_format'), '8:30', '20:30Z', '20:30:00.5', '20-30', '2030', ' 20:30'), ...all('jc', told('wrong_type'), 2030, true), ['jc', '', told('wrong_format')]]],
  ['timeOfDay from, until', timeOfDay({ from: '08:00', until: '20:30:30' }), [['tjc', '08:00', '08:00:00'], ['tjc', '20:30:30', '20:30:30'], ['tjc', '07:59:59', told('too_early')], ['tjc', '20:31', told('too_late')]]],
  ['day from, until', day({ from: '2031-01-01', until: '2031-12-31' }), [...same('tjc', '2031-01-01', '2031-12-31'), ['tjc', '2030-12-31', told('too_early')], ['tjc', '2032-01-01', told('too_late')]]],
  ['day by the clock, in a zone', day({ from: '+0d', until: '+2d', zone: 'Pacific/Kiritimati' }), [...same('tjc', '2031-03-02', '2031-03-04'), ['tjc', '2031-03-01', told('too_early')], ['tjc', '2031-03-05', told('too_late')]]],
  // duration
  ['duration', duration(), [
    ['tjc', 'PT1H30M', 5400000], ['tjc', 'P1DT12H', 129600000], ['tjc', 'P2W', 1209600000], ['tjc', 'PT0.5S', 500], ['tjc', 'PT0,25S', 250], ['tjc', 'PT0S', 0], ['tjc', 'P3D', 259200000],
    ...all('tjc', told('wrong_format'), 'P', 'PT', 'P1Y', 'P1M', 'P1W2D', '1H', 'PT1M1H', 'PT1.5H', 'P-1D', '-P1D', 'pt1h', 'P1DT', '90m'), ['jc', 90, told('wrong_type')], ['tjc', `P${'9'.repeat(20)}D`, told('out_of_range')],
  ]],
  ['duration min, max', duration({ min: '30s', max: '2h' }), [['tjc', 'PT30S', 30000], ['tjc', 'PT2H', 7200000], ['tjc', 'PT29.999S', told('below_min')], ['tjc', 'P1D', told('above_max')]]],
  // choice, constant
  ['choice', choice(['red', 'green', 5]), [...same('tjc', 'red', 'green'), ['tc', '5', 5], ['jc', 5, 5], ['j', '5', told('not_a_choice')], ...all('tjc', told('not_a_choice'), 'RED', 'toString', '05'), ['jc', 6, told('not_a_choice')], ['jc', true, told('wrong_type')]]],
  ['choice of texts', choice(['1', '2'], { titles: { 1: 'one' } }), [['tjc', '1', '1'], ['jc', 1, told('wrong_type')]]],
  ['constant', constant(true), [['jc', true, true], ['tc', 'true', true], ['jc', false, told('not_constant')], ['t', '1', told('not_constant')], ['j', 'true', told('wrong_type')]]],
  ['constant text', constant('v1'), [...same('tjc', 'v1'), ['tjc', 'v2', told('not_constant')], ['jc', 1, told('wrong_type')]]],
  ['constant null', constant(null), [['jc', null, null], ['tc', 'null', null], ['jc', 0, told('wrong_type')]]],
  // list
  ['list', list(integer()), [['jc', [1, 2], [1, 2]], ['jc', [], []], ['t', ['1', '2'], [1, 2]], ['t', '1', [1]], ['c', ['1'], [1]], ['j', ['1', 2, 'x'], told('[0] wrong_type', '[2] wrong_type')], ['t', ['1', 'x'], told('[1] wrong_type')], ['t', ['1', ''], told('[1] missing')], ['jc', [1, null], told('[1] null_not_allowed')], ...all('jc', told('wrong_type'), 1, {}, 'a')]],
  ['list length', list(integer(), { length: [1, 2] }), [['jc', [1], [1]], ['jc', [], told('too_few')], ['jc', [1, 2, 3], told('too_many')], ['c', ['x', 2, 3], told('too_many', '[0] wrong_type')]]],
  ['list distinct', list(either([integer(), record({ a: integer(), b: integer() })]), { distinct: true }), [['jc', [1, 2], [1, 2]], ['jc', [1, 2, 1, 1], told('[2] repeated', '[3] repeated')], ['jc', [{ a: 1, b: 2 }, { b: 2, a: 1 }], told('[1] repeated')]]],
  ['list distinct by a field', list(record({ licence: text({ tidy: ['lower'] }), n: integer({ optional: true }) }), { distinct: 'licence' }), [['jc', [{ licence: 'a' }, { licence: 'A', n: 2 }], told('[1].licence repeated')], ['jc', [{ licence: 'a' }, { n: 1 }, { n: 1 }], told('[1].licence missing', '[2].licence missing')]]],
  ['list joined by commas', list(text(), { explode: false }), [['t', 'a,b', ['a', 'b']], ['jc', ['a,b'], ['a,b']]]],
  ['tuple joined', tuple([number(), number({ max: 90 })], { explode: false }), [['t', '16.5,48', [16.5, 48]], ['t', '16,,48', told('too_many', '[1] missing')], ['t', '16', told('too_few')], ['t', '16,91', told('[1] above_max')], ['j', '16,48', told('wrong_type')]]],
  ['list joined by bars', list(integer(), { style: 'pipeDelimited' }), [['t', '1|2', [1, 2]], ['t', '1,2', told('[0] wrong_type')]]],
  // tuple
  ['tuple', tuple([integer(), text({ length: [1, 2] })]), [['jc', [1, 'a'], [1, 'a']], ['t', ['1', 'a'], [1, 'a']], ['c', ['1', 'a'], [1, 'a']], ['jc', [1], told('too_few')], ['jc', [1, 'a', 2], told('too_many')], ['j', ['1', 'abc'], told('[0] wrong_type', '[1] too_long')], ['jc', {}, told('wrong_type')]]],
  // record
  ['record', record({ a: integer(), b: text({ optional: true }) }), [['jc', { a: 1 }, { a: 1 }], ['t', { a: '1', b: 'x' }, { a: 1, b: 'x' }], ['c', { a: '1' }, { a: 1 }], ['jc', { b: 1 }, told('.a missing', '.b wrong_type')], ['jc', { a: 1, c: 2, 'd.e': 3 }, told('.c unlisted', '["d.e"] unlisted')], ...all('jc', told('wrong_type'), [], 'a', 1)]],
  ['record drops', record({ a: integer() }, { unlisted: 'drop' }), [['jc', { a: 1, z: 2 }, { a: 1 }]]],
  ['record keeps', record({ a: integer() }, { unlisted: 'keep' }), [['jc', { a: 1, z: { y: [2] } }, { a: 1, z: { y: [2] } }]]],
  ['record of hostile names', record({ constructor: integer(), toString: integer({ optional: true }), ['__proto__']: integer() }), [['jc', JSON.parse('{"constructor":1,"__proto__":2}'), JSON.parse('{"constructor":1,"__proto__":2}')], ['jc', {}, told('.constructor missing', '.__proto__ missing')]]],
  // table
  ['table', table(integer()), [['jc', { a: 1, 'b c': 2 }, { a: 1, 'b c': 2 }], ['t', { a: '1' }, { a: 1 }], ['j', { a: 'x', 'b.c': 'y' }, told('.a wrong_type', '["b.c"] wrong_type')], ['jc', JSON.parse('{"__proto__":1}'), JSON.parse('{"__proto__":1}')], ['jc', [], told('wrong_type')]]],
  ['table length, names', table(text(), { length: [1, 2], names: /^[a-z]+$/ }), [['jc', { a: 'x' }, { a: 'x' }], ['jc', {}, told('too_few')], ['jc', { a: 'x', B: 'y', c: 'z' }, told('too_many', '.B wrong_pattern')]]],
  // unions
  ['tagged', tagged('mode', { survey: record({ tiles: integer() }), single: record({ repeat: integer({ default: 1 }) }) }), [
    ['jc', { mode: 'survey', tiles: 4 }, { mode: 'survey', tiles: 4 }], ['jc', { mode: 'single' }, { mode: 'single', repeat: 1 }], ['jc', { mode: 'single', tiles: 4 }, told('.tiles unlisted')], ['jc', { mode: 'survey', tiles: 'x', repeat: 'y' }, told('.tiles wrong_type', '.repeat unlisted')],
    ['jc', {}, told('.mode missing')], ['jc', { mode: 'other', tiles: 'x' }, told('.mode not_a_choice')], ['jc', { mode: 'toString' }, told('.mode not_a_choice')], ['jc', { mode: 1 }, told('.mode wrong_type')], ['jc', { mode: null }, told('.mode null_not_allowed')], ['jc', 'survey', told('wrong_type')], ['jc', null, told('null_not_allowed')],
  ]],
  ['tagged in tagged', tagged('a', { x: tagged('b', { y: record({ n: integer() }) }) }), [['jc', { a: 'x', b: 'y', n: 1 }, { a: 'x', b: 'y', n: 1 }], ['jc', { a: 'x', b: 'z' }, told('.b not_a_choice')]]],
  ['either', either([integer({ min: 5 }), text({ length: [3, 9] }), record({ a: integer(), b: record({ c: integer() }) }), record({ z: flag() })]), [
    ['jc', 5, 5], ['jc', 'abc', 'abc'], ['jc', 4, told('below_min')], ['j', 'ab', told('too_short')], ['tc', '7', 7], ['jc', { z: true }, { z: true }], ['jc', true, told('no_branch')], ['jc', [], told('no_branch')], ['jc', null, told('no_branch')],
    ['jc', { a: 1, b: { c: 'x' } }, told('.b.c wrong_type')], ['jc', { z: 1 }, told('.z wrong_type')], ['jc', { a: 1, b: {} }, told('.b.c missing')],
  ]],
  ['either with null', either([integer({ nullable: true }), text()]), [['jc', null, null]]],
  // recursion, readers, anything
  ['later', tree, [['jc', nested(3), nested(3)], ['jc', { name: 'a', parts: [{ name: 1, parts: [] }] }, told('.parts[0].name wrong_type')]]],
  ['readAs', readAs(text({ length: [1, 20] }), (value) => (value === 'none' ? undefined : new URL(value).host), { code: 'bad_link' }), [['tjc', 'http://a.example', 'a.example'], ['tjc', 'no link', told('bad_link')], ['tjc', 'none', told('bad_link')], ['jc', '', told('too_short')], ['jc', 1, told('wrong_type')], ['tjc', absent, told('missing')], ['jc', null, told('null_not_allowed')]]],
  ['readAs of an optional field', readAs(text({ optional: true, nullable: true }), (value) => value ?? 'nothing', { code: 'odd' }), [['tjc', absent, absent], ['jc', null, 'nothing']]],
  ['readAs of a list with a default', readAs(list(integer(), { default: [1, 2] }), (values) => values.length, { code: 'odd' }), [['tjc', absent, 2], ['jc', [1], 1], ['t', ['1', '1', '1'], 3]]],
  ['anything', anything(), [...same('jc', 1, 'a', null, true, [1, { a: [null] }]), ['jc', JSON.parse('{"__proto__":{"a":1}}'), JSON.parse('{"__proto__":{"a":1}}')], ['tjc', absent, told('missing')]]],
]

describe.each(rows)('%s', (_, field, cases) => {
  test.each(cases.flatMap(([sources, sent, expected]) => [...sources].map((source): [string, unknown, unknown] => [source, sent, expected])))('%s %j', (source, sent, expected) => {
    expect(judgedFrom(source, field, sent)).toEqual(expected)
  })
})

const formats: { readonly [F in Format]: { good: string[]; bad: string[]; unreal?: string[] } } = {
  email: { good: ['a@b', 'ada.lovelace+1@mail.example.org', '"odd one"@b.example', '"a\\"b"@b.example', "o'hara!#$%&*@b.example", 'a@[192.0.2.1]', 'a@[IPv6:2001:db8::1]'], bad: ['a', '@b', 'a@', 'a b@c.example', '.a@b.example', 'a.@b.example', 'a..b@c.example', 'a@-b.example', 'a@b..c', 'a@b.example.', `${'a'.repeat(65)}@b.example`, 'a@[1.2.3]', 'ä@b.example', '"a"b"@c.example'] },
  'idn-email': { good: ['ä@bücher.example', 'a@b.example', '実例@例え.テスト'], bad: ['a', 'ä@bü cher.example', 'ä@'] },
  uuid: { good: ['0190163d-8694-739b-aea5-966c26f8ad91', '00000000-0000-0000-0000-000000000000', 'ABCDEF01-2345-6789-ABCD-EF0123456789'], bad: ['0190163d8694739baea5966c26f8ad91', '0190163d-8694-739b-aea5-966c26f8ad9', '{0190163d-8694-739b-aea5-966c26f8ad91}', '0190163g-8694-739b-aea5-966c26f8ad91'] },
  uri: { good: ['http://a.example/b?c=d#e', 'urn:isbn:0451450523', 'mailto:a@b.example', 'http://[2001:db8::1]:80/', 'http://a.example', 'http://u:p@h:1/', 'file:///etc', 'http://%41/', 'a:'], bad: ['//a.example', '/a', 'a', '', 'http://a b/', 'http://a/b c', 'http://[::1/', 'http://[1::2::3]/', 'http://a:b/', '1a:b', 'http://a/%zz', 'http://a/<b>', 'http://ä.example/', 'http://a/#b#c'] },
  'uri-reference': { good: ['/a/b?c', '../a', '', '#a', '//a.example/b', 'http://a', 'a;b=1'], bad: ['a b', '\\\\a', 'http://[::1', 'a%2', ':a', '1:a'] },
  iri: { good: ['http://ä.example/ö?ü#é', 'http://a/'], bad: ['ä', '/ä', 'http://ä b/', 'http://a/\u0000'] },
  'iri-reference': { good: ['ä/ö', '#é', ''], bad: ['ä b', '<ä>'] },
  hostname: { good: ['a', 'www.example.org', 'a-b.c', '1a.2', `${'a'.repeat(63)}.example`], bad: ['', '-a', 'a-', 'a..b', '.a', 'a.', 'a_b', `${'a'.repeat(64)}.example`, `${'a.'.repeat(127)}a`, 'ä.example', 'a b'] },
  'idn-hostname': { good: ['a.1', 'bücher.example', '例え.テスト', 'a.example', 'xn--bcher-kva.example'], bad: ['', 'bü cher', 'bücher/x', '.bücher', 'bü_cher.example', `${'ü'.repeat(64)}.example`, 'ü%41.example', 'ü@a.example'] },
  ipv4: { good: ['0.0.0.0', '192.0.2.1', '255.255.255.255'], bad: ['256.0.0.1', '1.2.3', '1.2.3.4.5', '01.2.3.4', '1.2.3.4 ', '0x1.2.3.4', '1.2.3.-4', ''] },
  ipv6: { good: ['::', '::1', '2001:db8::1', '1:2:3:4:5:6:7:8', '::ffff:192.0.2.1', '1:2:3:4:5:6:1.2.3.4', 'ABCD::'], bad: ['', ':', ':::', '1', '1:2:3:4:5:6:7', '1:2:3:4:5:6:7:8:9', '1::2::3', '12345::', 'g::', '::1%eth0', '1:2:3:4:5:6:7:1.2.3.4', '::1.2.3', '1:2:3:4:5:6:7:8::', ':1:2:3:4:5:6:7'] },
  date: { good: ['2031-03-01', '2000-02-29'], bad: ['2031-3-1', '31-03-01', '2031-03-01T'], unreal: ['1900-02-29', '2031-06-31'] },
  time: { good: ['22:30:00Z', '22:30:00.5+01:00', '23:59:60Z', '00:29:60+00:30'], bad: ['22:30', '22:30:00', '1:00:00Z'], unreal: ['24:00:00Z', '22:60:00Z', '22:30:60Z', '12:00:00+24:00'] },
  'date-time': { good: ['2031-03-01T22:30:00Z', '2016-12-31T23:59:60Z'], bad: ['2031-03-01', '2031-03-01 22:30:00Z'], unreal: ['2031-02-30T00:00:00Z', '2031-03-01T23:59:60Z'] },
  duration: { good: ['P1Y', 'P1Y2M3DT4H5M6S', 'PT5M', 'P2W', 'P1M', 'PT36H', 'P1DT1S'], bad: ['P', 'PT', 'P1', '1D', 'P1D2W', 'P1YT', 'P1Y3D', 'PT1H5S', 'P1S', 'PT1D'] },
  'json-pointer': { good: ['', '/', '/a/b~0~1', '/ä//'], bad: ['a', '/~', '/~2', '#/a'] },
  'relative-json-pointer': { good: ['0', '1/a', '2#', '0-1/a', '10+2'], bad: ['', '/a', '-1/a', '01/a', '1a', '1##'] },
  'uri-template': { good: ['', '/a/{b}', '{?x,y*}', '{+path:6}/here', '{#a.b}', '{%41}'], bad: ['{', '}', '{}', '{a b}', '{a:0}', '{a:10000}', '{a,}', '/a b', '{{a}}', '<a>'] },
  phone: { good: ['+436601234567', '+12', '+123456789012345'], bad: ['436601234567', '+0123', '+1', '+1234567890123456', '+43 660 123', '+', '+١٢٣'] },
  'card-number': { good: ['4111111111111111', '378282246310005', '6304000000000000', '4000000000000000006'], bad: ['4111111111111112', '4111 1111 1111 1111', '', '0', '00000000000', '42424242424242424242'] },
  iban: { good: ['DE02120300000000202051', 'GB82WEST12345698765432', 'NO9386011117947', 'MT84MALT011000012345MTLCAST001S', 'AT611904300234573201'], bad: ['DE4512030000000020205', 'DE02120300000000202052', 'DE0212030000000020205', 'de02120300000000202051', 'DE02 1203 0000 0000 2020 51', 'DE', '', '1E02120300000000202051'] },
  isbn: { good: ['9783161484100', '978-3-16-148410-0', '9791034304059'], bad: ['9783161484101', '3161484100', '978-3-16-148410-0-', '978--316148410-0', '9773161484100', '97831614841OO', '978-3-1-6-1-4-8410-0'] },
  gtin: { good: ['4006381333931', '96385074', '614141000036', '10614141000415'], bad: ['4006381333932', '400638133393', '1234567', '4006381333931 ', '', '123456789012345'] },
  language: { good: ['de', 'de-AT', 'zh-Hant-TW', 'sl-rozaj-biske', 'de-CH-1996', 'es-419', 'en-a-myext-b-another', 'x-whatever', 'en-x-a', 'i-klingon', 'en-GB-oed', 'zh-cmn-Hans-CN', 'DE-at'], bad: ['', 'd', 'de_AT', 'de-', 'a-DE', 'de-419-DE', 'abcdefghi', 'de-a', 'x', 'en-x', 'de--AT'] },
  country: { good: ['AT', 'GB', 'AX', 'ZW'], bad: ['at', 'UK', 'EU', 'XK', 'AUT', '', 'A', 'AN'] },
  currency: { good: ['EUR', 'XAU', 'ZWG', 'SLE'], bad: ['eur', 'DEM', 'EURO', '', 'HRK', 'BTC'] },
  'time-zone': { good: ['Europe/Vienna', 'UTC', 'America/Argentina/Buenos_Aires', 'Asia/Calcutta', 'Etc/GMT+5', 'Singapore'], bad: ['', 'Europe/Vien', '+01:00', 'CEST2', 'GMT+1', '../etc', 'Vienna', 'Europe/Vienna ', '__proto__'] },
  base64: { good: ['', 'YQ==', 'YWI=', 'YWJj', '+/+/'], bad: ['YQ', 'YQ=', 'Y===', 'YQ==YQ==', '-_-_', 'YW Jj', '='] },
  base64url: { good: ['', 'YQ', 'YQ==', 'YWI', '-_-_'], bad: ['Y', 'YQ=', '+/+/', 'YWJj=', 'YW\nJj'] },
  cidr: { good: ['192.0.2.0/24', '0.0.0.0/0', '2001:db8::/32', '::/128'], bad: ['192.0.2.0', '192.0.2.0/33', '192.0.2.0/024', '2001:db8::/129', '192.0.2.0/24/1', '/24', '192.0.2/24'] },
  semver: { good: ['1.4.0', '0.0.0', '1.0.0-alpha.1', '1.0.0-0a+build.01', '1.0.0+a-b', '1.0.0--'], bad: ['1.4', 'v1.4.0', '01.4.0', '1.0.0-01', '1.0.0-', '1.0.0+', '1.0.0-a..b', '1.0.0+a+b', '1.0.0\n', ''] },
  'http-date': { good: ['Sat, 01 Mar 2031 22:30:00 GMT', 'Sunday, 06-Nov-94 08:49:37 GMT', 'Sun Nov  6 08:49:37 1994', 'Sat, 31 Dec 2016 23:59:60 GMT'], bad: ['', 'Sat, 1 Mar 2031 22:30:00 GMT', 'Sat, 31 Feb 2031 22:30:00 GMT', 'Sat, 01 Mar 2031 24:00:00 GMT', 'Sat, 01 Mar 2031 22:30:00 UTC', 'sat, 01 mar 2031 22:30:00 gmt', 'Sat, 01 Mar 2031 22:30:00 GMT ', '2031-03-01T22:30:00Z', 'Xxx, 01 Mar 2031 22:30:00 GMT'] },
  'entity-tags': { good: ['*', '"a"', 'W/"a", "b"', '"a,b" ,"c"', ',"a",,', '""', '"\u00e9"'], bad: ['', 'a', '"a', 'w/"a"', '"a" "b"', '*, "a"', '"a b"', ',', '"a"b', '"\u0100"'] },
  'byte-ranges': { good: ['bytes=0-499', 'bytes=-500', 'bytes=9500-', 'Bytes=0-0,-1', 'bytes=,0-1 ,\t, 4-', 'pages=1-x', 'bytes=0-99999999999999999999'], bad: ['', 'bytes', 'bytes=', 'bytes=,', 'bytes=5-1', 'bytes=a-b', 'bytes=-', 'bytes=1', 'bytes 0-1', 'bytes=0-1 2-3', 'bytes=0-1;', 'pages='] },
  regex: { good: ['', '^a+$', '[a-z]', '\\p{L}', '(?<a>b)\\k<a>'], bad: ['(', '[', 'a**', '\\', '{1}', '\\p{X}', '\\a'] },
}
test.each(Object.entries(formats))('the format %s', (format, { good, bad, unreal = [] }) => {
  const field = text({ format: format as Format })
  const codes = (texts: string[]) => texts.map((one) => [one, judgedFrom('j', field, one)])
  expect(codes(good)).toEqual(good.map((one) => [one, one]))
  expect(codes(bad)).toEqual(bad.map((one) => [one, told('wrong_format')]))
  expect(codes(unreal)).toEqual(unreal.map((one) => [one, told('unreal_date')]))
})

test('what HTTP writes in a way of its own is read, and written so that it arrives', async () => {
  const optional = { optional: true } as const
  const notes = endpoint('GET /notes', {
    query: { bbox: tuple([number(), number()], { explode: false, ...optional }), sort: sortKeys(['opens', 'team'], optional), at: epoch({ unit: 's', ...optional }), ms: epoch({ unit: 'ms', ...optional }) },
    header: { 'if-modified-since': httpDate(optional), 'if-none-match': entityTags(optional), range: byteRanges(optional) },
  })
  const app = intake({ endpoints: { notes } })
  const asked = async (query: string, since: string, tags: string) => {
    const verdict = await judge(app, `GET /notes?${query} HTTP/1.1\nIf-Modified-Since: ${since}\nIf-None-Match: ${tags}\n\n`)
    return verdict.outcome === 'rejected' ? verdict.errors.map(({ address, code }) => `${address} ${code}`) : verdict.outcome === 'accepted' ? { ...verdict.input.query, ...verdict.input.header } : verdict
  }
  const monday = new Date('2031-03-03T08:00:00Z')
  const read = await asked('bbox=16.5,48&sort=opens,-team&at=1930291200&ms=1930291200000', 'Mon, 03 Mar 2031 08:00:00 GMT', 'W/"a,b" , "c",')
  expect(read).toEqual({ bbox: [16.5, 48], sort: [{ key: 'opens', descending: false }, { key: 'team', descending: true }], at: monday, ms: monday, 'if-modified-since': monday, 'if-none-match': [{ tag: 'a,b', weak: true }, { tag: 'c', weak: false }] })
  expect(await asked('sort=team&at=-1', 'Sunday, 06-Nov-94 08:49:37 GMT', '*')).toEqual({ sort: [{ key: 'team', descending: false }], at: new Date(-1000), 'if-modified-since': new Date('1994-11-06T08:49:37Z'), 'if-none-match': '*' })
  expect(await asked('sort=opens,-opens&at=1.5&ms=99999999999999999', 'today', 'a')).toEqual(['query.sort[1] repeated', 'query.at wrong_type', 'query.ms out_of_range', 'header.if-modified-since wrong_format', 'header.if-none-match wrong_format'])
  expect(await asked('sort=name', 'Mon, 03 Mar 2031 08:00:00 GMT', '"x"')).toEqual(['query.sort[0] not_a_choice'])
  const ranges = async (range: string) => ((await judge(app, `GET /notes HTTP/1.1\nRange: ${range}\n\n`)) as { input?: { header: object } }).input?.header
  expect([await ranges('bytes=0-499, -500,9500-'), await ranges('pages=1'), await ranges('bytes=0-99999999999999999999'), await ranges('bytes=2-1')]).toEqual([{ range: [{ first: 0, last: 499 }, { suffix: 500 }, { first: 9500 }] }, { range: [] }, { range: [{ first: 0, last: Number.MAX_SAFE_INTEGER }] }, undefined])
  for (const range of [[{ first: 0, last: 499 }, { suffix: 5 }, { first: 7 }], []]) expect(await ranges(write(notes, 'https://kr.example', { query: {}, header: { range } } as never).headers.get('range') ?? '')).toEqual({ range })
  const { bbox, sort, at, ms, ...header } = read as { [name: string]: unknown }
  const written = write(notes, 'https://kr.example', { query: { bbox, sort, at, ms }, header } as never)
  expect([written.url, written.headers.get('if-modified-since'), written.headers.get('if-none-match')]).toEqual(['https://kr.example/notes?bbox=16.5,48&sort=opens,-team&at=1930291200&ms=1930291200000', 'Mon, 03 Mar 2031 08:00:00 GMT', 'W/"a,b", "c"'])
  expect(() => epoch({} as never)).toThrow("it does not say what it counts. Give { unit: 's' } or { unit: 'ms' }")
  for (const field of [httpDate({ nullable: true }), entityTags({ nullable: true }), epoch({ unit: 's', nullable: true })]) expect(judgedFrom('j', field, null)).toBe(null)
})
