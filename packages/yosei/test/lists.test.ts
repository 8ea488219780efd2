// biome-ignore-all format: a table reads line by line
/** Rules that hold the elements of a list against each other, and the distance of two values. */
import { expect, test } from '@jest/globals'
import { anything, day, decimal, duration, either, endpoint, type Field, instant, intake, integer, judgeParts, list, outline, type Rule, type RuleMaker, record, table, text } from 'yosei'

const optional = { optional: true } as const
const body = record({
  legs: list(record({ departs: instant(optional), gate: integer(optional), at: text({ format: 'time', ...optional }), pin: integer({ secret: true, ...optional }) }), optional),
  days: list(record({ on: day(), slots: list(record({ from: integer(), until: integer(), team: text(optional), price: decimal(optional) })) }), optional),
  marks: list(integer(), optional),
  from: day(optional), until: day(optional), low: integer(optional), high: integer(optional), opens: instant(optional), closes: instant(optional),
  nodes: list(record({ id: text(optional), to: list(text(), optional), up: text(optional), price: decimal(optional), pin: text({ secret: true, ...optional }) }), optional), named: table(integer(), optional), stores: list(table(integer()), optional),
  depots: list(record({ sites: list(record({ id: integer() })), goods: list(record({ at: integer() })) }), optional), word: text(optional),
  stays: list(record({ from: day(), until: day(optional) }), optional),
  net: decimal(optional), gross: decimal(optional), short: duration(optional), long: duration(optional), free: anything(optional), mixed: either([instant(), integer()], optional),
})
type Input = { body: typeof body extends Field<infer T> ? T : never }
const told = (rule: (on: RuleMaker<Input>) => Rule, sent: object) => {
  const verdict = judgeParts(endpoint('POST /', { body, rules: (on) => [rule(on as never)] }), { body: sent })
  return verdict.outcome === 'rejected' ? verdict.errors.map(({ address, code, message }) => `${address} ${code}: ${message}`) : []
}
const slots = (...all: [number, number, object?][]) => ({ days: [{ on: '2031-03-01', slots: all.map(([from, until, more]) => ({ from, until, ...more })) }] })
const at = (...hours: (number | null)[]) => ({ legs: hours.map((hour) => (hour === null ? {} : { departs: `2031-03-01T${String(hour).padStart(2, '0')}:00:00Z` })) })

const nodes = (to: { readonly [id: string]: string }, more: object = {}) => ({ nodes: Object.entries(to).map(([id, names]) => ({ id, to: names.split('') })), ...more })
const two = (...all: [number, number, string?, string?][]) => ({ days: all.map(([from, until, team, price], index) => ({ on: `2031-03-0${index + 1}`, slots: [{ from, until, ...(team ? { team } : {}), ...(price ? { price } : {}) }] })) })
const [from, until, team, price] = ['body.days[].slots[].from', 'body.days[].slots[].until', 'body.days[].slots[].team', 'body.days[].slots[].price'] as const
const depot = { zone: 'Europe/Vienna', hours: { mon: [['08:00', '12:00'], ['13:00', '18:00']], sat: [['22:00', '02:00']], sun: [['18:00', '24:00']] } } as const
const pickup = (opens: string, word?: string) => ({ opens, ...(word ? { word } : {}) })
const [circle, known] = [(on: RuleMaker<Input>) => on.acyclic('body.nodes[].id', 'body.nodes[].to[]'), (on: RuleMaker<Input>) => on.among('body.nodes[].to[]', 'body.nodes[].id')]
test.each<[string, (on: RuleMaker<Input>) => Rule, object, string[]]>([
  ['among those of its own list, later ones too', known, nodes({ a: 'b', b: 'ab' }), []],
  ['not among them, twice', known, nodes({ a: 'xb', b: 'ay' }), ['body.nodes[0].to[0] not_among: must be one of body.nodes[].id; "x" was sent', 'body.nodes[1].to[1] not_among: must be one of body.nodes[].id; "y" was sent']],
  ['not among them, but near', (on) => on.among('body.word', 'body.nodes[].id', { status: 409 }), { word: 'nort', nodes: [{ id: 'north' }, { id: 'south' }, {}] }, ['body.word not_among: must be one of body.nodes[].id, such as north; "nort" was sent']],
  ['among decimals by their value', (on) => on.among('body.net', 'body.nodes[].price'), { net: '1.50', nodes: [{ price: '1.5' }] }, []],
  ['among none, if the list was not sent', (on) => on.among('body.marks[]', 'body.depots[].sites[].id'), { marks: [1] }, ['body.marks[0] not_among: must be one of body.depots[].sites[].id; 1 was sent']],
  ['nothing is among nothing', (on) => on.among('body.word', 'body.nodes[].id'), {}, []],
  ['in each outer element', (on) => on.among('body.depots[].goods[].at', 'body.depots[].sites[].id'), { depots: [{ sites: [{ id: 1 }], goods: [{ at: 1 }, { at: 2 }] }, { sites: [{ id: 2 }], goods: [{ at: 2 }] }] }, ['body.depots[0].goods[1].at not_among: must be one of body.depots[0].sites[].id; 2 was sent']],
  ['names of a table, whose names tell no more than themselves', (on) => on.among('body.nodes[].id', { namesOf: 'body.named' }), { nodes: [{ id: 'north' }, { id: 'sout' }, { id: 'toString' }], named: { north: 1, south: 2 } }, [
    'body.nodes[1].id not_among: must be a name in body.named, such as south; "sout" was sent', 'body.nodes[2].id not_among: must be a name in body.named; "toString" was sent']],
  ['names of the tables in a list, and no indices', (on) => on.among('body.nodes[].id', { namesOf: 'body.stores[]' }), { nodes: [{ id: 'a' }, { id: '0' }, { id: 'c' }], stores: [{ a: 1 }, { c: 2 }] }, ['body.nodes[1].id not_among: must be a name in body.stores[]; "0" was sent']],
  ['what it is to be among cannot be read', known, { nodes: [{ id: 'a', to: ['b'] }, { id: 5 }] }, ['body.nodes[1].id wrong_type: must be text; 5 was sent']],
  ['one that cannot be read hides no other', known, { nodes: [{ id: 'a', to: [5, 'b'] }] }, ['body.nodes[0].to[0] wrong_type: must be text; 5 was sent', 'body.nodes[0].to[1] not_among: must be one of body.nodes[].id; "b" was sent']],
  ['among secrets', (on) => on.among('body.word', 'body.nodes[].pin'), { word: 'nort', nodes: [{ pin: 'north' }] }, ['body.word not_among: must be one of body.nodes[].pin']],
  ['those selected are among all', (on) => on.while(on.is('body.nodes[].up', 'x'), [known(on)]), { nodes: [{ id: 'a', to: ['z'] }, { id: 'b', up: 'x', to: ['a', 'z'] }] }, ['body.nodes[1].to[1] not_among: must be one of body.nodes[].id; "z" was sent']],
  ['no circle, though two ways meet', circle, nodes({ a: 'bc', b: 'd', c: 'd', d: '' }), []],
  ['a circle, at the reference that closes it', circle, nodes({ a: 'b', b: 'dc', c: 'a', d: 'x' }), ['body.nodes[2].to[0] in_a_cycle: must not lead back to itself: "a" → "b" → "c" → "a"']],
  ['two circles, and one that leads to itself', circle, nodes({ a: 'bc', b: 'a', c: 'a', d: 'd' }), [
    'body.nodes[1].to[0] in_a_cycle: must not lead back to itself: "a" → "b" → "a"', 'body.nodes[2].to[0] in_a_cycle: must not lead back to itself: "a" → "c" → "a"', 'body.nodes[3].to[0] in_a_cycle: must not lead back to itself: "d" → "d"']],
  ['two elements of one name are one', circle, { nodes: [{ id: 'a', to: ['b'] }, { id: 'a', to: ['c'] }, { id: 'c', to: ['a'] }] }, ['body.nodes[2].to[0] in_a_cycle: must not lead back to itself: "a" → "c" → "a"']],
  ['one parent each', (on) => on.acyclic('body.nodes[].id', 'body.nodes[].up', { code: 'loop' }), { nodes: [{ id: 'a', up: 'b' }, { up: 'a' }, { id: 'b', up: 'a' }] }, ['body.nodes[2].up loop: must not lead back to itself: "a" → "b" → "a"']],
  ['what cannot be read closes no circle, and hides none', circle, { nodes: [{ id: 'a', to: [7, 'b'] }, { id: 'b', to: ['a'] }, { id: 8, to: ['a'] }] }, ['body.nodes[0].to[0] wrong_type: must be text; 7 was sent', 'body.nodes[1].to[0] in_a_cycle: must not lead back to itself: "a" → "b" → "a"', 'body.nodes[2].id wrong_type: must be text; 8 was sent']],
  ['a message about a long cycle shows its start and its end', circle, nodes({ a: 'b', b: 'c', c: 'd', d: 'e', e: 'f', f: 'g', g: 'h', h: 'a' }), ['body.nodes[7].to[0] in_a_cycle: must not lead back to itself: "a" → "b" → "c" → "d" → … → "g" → "h" → "a"']],
  ['distinct by team, across the days; those of none are a team', (on) => on.distinct(from, { by: [team] }), two([1, 2, 'a'], [1, 2, 'b'], [1, 2, 'a'], [1, 2], [1, 2]), ['body.days[2].slots[0] repeated: must not repeat body.days[0].slots[0]', 'body.days[4].slots[0] repeated: must not repeat body.days[3].slots[0]']],
  ['distinct by the day and the team', (on) => on.distinct(from, { by: ['body.days[]', team] }), two([1, 2, 'a'], [1, 2, 'a']), []],
  ['apart by team, across the days', (on) => on.apart(from, until, { by: [team] }), two([5, 9, 'a'], [6, 7, 'b'], [1, 6, 'a']), ['body.days[0].slots[0] overlaps: must not overlap body.days[2].slots[0]']],
  ['in order by team', (on) => on.inOrder(from, { by: [team] }), two([5, 9, 'a'], [1, 2, 'b'], [4, 6, 'a'], [2, 3, 'b']), ['body.days[2].slots[0].from out_of_order: must be more than body.days[0].slots[0].from (5); 4 was sent']],
  ['a sum by team, and of those without', (on) => on.sumWithin(until, { atMost: 10, by: [team] }), two([1, 6, 'a'], [1, 9, 'b'], [1, 7, 'a'], [1, 4], [1, 8]), [
    'body.days above_max: must add up to at most 10; body.days[].slots[].until adds up to 13, of those with body.days[].slots[].team a', 'body.days above_max: must add up to at most 10; body.days[].slots[].until adds up to 12, of those with no body.days[].slots[].team']],
  ['a sum of each day alone', (on) => on.sumWithin(until, { exactly: 9, by: ['body.days[]'] }), two([1, 9], [1, 8]), ['body.days[1].slots unequal: must add up to 9; body.days[1].slots[].until adds up to 8']],
  ['of whose team nothing is known counts for no limit from below', (on) => on.sumWithin(until, { atLeast: 10, by: [team] }), { days: [{ on: '2031-03-01', slots: [{ from: 1, until: 2, team: 'a' }, { from: 1, until: 9, team: 5 }] }] }, ['body.days[0].slots[1].team wrong_type: must be text; 5 was sent']],
  ['several terms, less one, each product rounded', (on) => on.sumWithin(['body.low', ['body.net', 'body.high'], price], { less: ['body.gross'], exactly: 100, rounded: 2 }), { low: 1, net: '0.335', high: 3, gross: '2.5', ...two([1, 2, 'a', '10.25'], [1, 2, 'b', '0.24']) }, ['body.low unequal: must add up to 100; body.low + body.net × high + body.days[].slots[].price − body.gross adds up to 10']],
  ['what was not sent adds nothing', (on) => on.sumWithin(['body.low', 'body.high'], { less: ['body.net'], exactly: 3 }), { high: 3 }, []],
  ['of nothing there is no sum', (on) => on.sumWithin(['body.low', 'body.high'], { atLeast: 3 }), {}, []],
  ['half away from zero', (on) => on.sumWithin([['body.net', 'body.high']], { rounded: 0, exactly: 'body.low' }), { net: '-0.5', high: 1, low: 0 }, ['body.net unequal: must add up to body.low (0); body.net × high adds up to -1']],
  ['so many of all', (on) => on.count('body.marks[]', { atLeast: 2, atMost: 3 }), { marks: [1] }, ['body.marks too_few: must have at least 2 elements; it has 1']],
  ['too many of some', (on) => on.count('body.nodes[]', { where: on.is('body.nodes[].up', 'x'), atMost: 1 }, { code: 'mains' }), { nodes: [{ up: 'x' }, { up: 'y' }, { up: 'x' }] }, ['body.nodes mains: must have at most 1 element for which body.nodes[].up is x; it has 2']],
  ['no pilot', (on) => on.count('body.nodes[]', { where: on.is('body.nodes[].up', 'x'), exactly: 'body.low' }), { low: 2, nodes: [{}] }, ['body.nodes too_few: must have at least body.low (2) elements for which body.nodes[].up is x; it has 0']],
  ['one that cannot be read may be one', (on) => on.count('body.nodes[]', { where: on.is('body.nodes[].up', 'x'), atLeast: 1 }), { nodes: [{ up: 5 }] }, ['body.nodes[0].up wrong_type: must be text; 5 was sent']],
  ['one that cannot be read makes no fewer', (on) => on.count('body.nodes[]', { where: on.is('body.nodes[].up', 'x'), exactly: 1 }), { nodes: [{ up: 5 }, { up: 'x' }, { up: 'x' }] }, ['body.nodes too_many: must have at most 1 element for which body.nodes[].up is x; it has 2', 'body.nodes[0].up wrong_type: must be text; 5 was sent']],
  ['a slot a day for each team', (on) => on.count('body.days[].slots[]', { atMost: 1, by: [team] }), two([1, 2, 'a'], [1, 2, 'b'], [3, 4, 'a']), ['body.days too_many: must have at most 1 element; it has 2, of those with body.days[].slots[].team a']],
  ['names of a table', (on) => on.count('body.named{}', { atMost: 1 }), { named: { a: 1, b: 2 } }, ['body.named too_many: must have at most 1 element; it has 2']],
  ['a message shows nothing of secrets', (on) => on.count('body.nodes[]', { where: on.is('body.nodes[].pin', 'x'), atMost: 0 }), { nodes: [{ pin: 'x' }] }, ['body.nodes too_many: has too many of these elements']],
  ['in order', (on) => on.inOrder('body.legs[].departs'), at(1, 2, 3), []],
  ['not in order, and with one', (on) => on.inOrder('body.legs[].departs'), at(2, 1, 1), [
    'body.legs[1].departs out_of_order: must come after body.legs[0].departs ("2031-03-01T02:00:00Z"); "2031-03-01T01:00:00Z" was sent',
    'body.legs[2].departs out_of_order: must come after body.legs[1].departs ("2031-03-01T01:00:00Z"); "2031-03-01T01:00:00Z" was sent']],
  ['in order or equal', (on) => on.inOrder('body.legs[].departs', { orEqual: true }), at(1, 1, 2), []],
  ['one that lacks it is passed by', (on) => on.inOrder('body.legs[].departs', { code: 'late', message: 'leaves before {other}' }), at(2, null, 1), ['body.legs[2].departs late: leaves before body.legs[0].departs ("2031-03-01T02:00:00Z")']],
  ['times by their offsets', (on) => on.inOrder('body.legs[].at'), { legs: [{ at: '10:00:00+02:00' }, { at: '09:00:00Z' }] }, []],
  ['numbers of their own', (on) => on.inOrder('body.marks[]'), { marks: [1, 3, 2] }, ['body.marks[2] out_of_order: must be more than body.marks[1] (3); 2 was sent']],
  ['no output shows secrets', (on) => on.inOrder('body.legs[].pin'), { legs: [{ pin: 5 }, { pin: 4 }] }, ['body.legs[1].pin out_of_order: must be more than body.legs[0].pin']],
  ['in each inner list', (on) => on.inOrder('body.days[].slots[].from'), { days: [{ on: '2031-03-01', slots: [{ from: 5, until: 6 }] }, { on: '2031-03-02', slots: [{ from: 4, until: 5 }, { from: 3, until: 4 }] }] }, ['body.days[1].slots[1].from out_of_order: must be more than body.days[1].slots[0].from (4); 3 was sent']],
  ['nothing is in order', (on) => on.inOrder('body.marks[]'), {}, []],
  ['distinct by two', (on) => on.distinct('body.days[].slots[].from', 'body.days[].slots[].team'), slots([1, 2, { team: 'a' }], [1, 3, { team: 'b' }], [1, 4, { team: 'a' }], [1, 5], [1, 6]), ['body.days[0].slots[2] repeated: must not repeat body.days[0].slots[0]']],
  ['distinct decimals by their value', (on) => on.distinct('body.days[].slots[].price'), slots([1, 2, { price: '1.50' }], [2, 3, { price: '1.5' }]), ['body.days[0].slots[1] repeated: must not repeat body.days[0].slots[0]']],
  ['distinct values of a list', (on) => on.distinct('body.marks[]'), { marks: [1, 2, 1, 1] }, ['body.marks[2] repeated: must not repeat body.marks[0]', 'body.marks[3] repeated: must not repeat body.marks[0]']],
  ['apart', (on) => on.apart('body.days[].slots[].from', 'body.days[].slots[].until'), slots([5, 6], [1, 3], [3, 5]), []],
  ['not apart, in any order', (on) => on.apart('body.days[].slots[].from', 'body.days[].slots[].until'), slots([5, 9], [1, 3], [2, 4], [8, 8], [7, 8]), [
    'body.days[0].slots[2] overlaps: must not overlap body.days[0].slots[1]',
    'body.days[0].slots[4] overlaps: must not overlap body.days[0].slots[0]']],
  ['a long span overlaps all that begin in it', (on) => on.apart('body.days[].slots[].from', 'body.days[].slots[].until', { status: 409 }), slots([1, 9], [2, 3], [4, 5]), ['body.days[0].slots[1] overlaps: must not overlap body.days[0].slots[0]', 'body.days[0].slots[2] overlaps: must not overlap body.days[0].slots[0]']],
  ['the same span twice', (on) => on.apart('body.days[].slots[].from', 'body.days[].slots[].until'), slots([1, 2], [1, 2]), ['body.days[0].slots[1] overlaps: must not overlap body.days[0].slots[0]']],
  ['so much between them, in any order', (on) => on.apart(from, until, { rest: 2 }), slots([5, 6], [1, 3], [8, 9], [10, 12]), ['body.days[0].slots[3] too_close: must begin at least 2 after body.days[0].slots[2] ends']],
  ['an overlap is no rest', (on) => on.apart(from, until, { rest: 2, code: 'tired' }), slots([1, 4], [2, 9]), ['body.days[0].slots[1] tired: must not overlap body.days[0].slots[0]']],
  ['tariffs without gaps', (on) => on.apart(from, until, { seamless: true }), slots([3, 5], [1, 3], [5, 9], [10, 11]), ['body.days[0].slots[3] too_far: must begin at the end of body.days[0].slots[2]']],
  ['ranges whose last counts', (on) => on.apart(from, until, { lastIncluded: true, seamless: true }), slots([1, 3], [4, 4], [4, 6], [8, 9]), [
    'body.days[0].slots[2] overlaps: must not overlap body.days[0].slots[1]', 'body.days[0].slots[3] too_far: must begin right after body.days[0].slots[2] ends']],
  ['one without an end never ends', (on) => on.apart('body.stays[].from', 'body.stays[].until', { openEnded: true, lastIncluded: true }), { stays: [{ from: '2031-03-05' }, { from: '2031-03-01', until: '2031-03-04' }, { from: '2031-03-04', until: '2031-03-04' }, { from: '2031-04-01', until: '2031-04-02' }] }, [
    'body.stays[2] overlaps: must not overlap body.stays[1]', 'body.stays[3] overlaps: must not overlap body.stays[0]']],
  ['one without an end is passed by otherwise', (on) => on.apart('body.stays[].from', 'body.stays[].until', { rest: '1d' }), { stays: [{ from: '2031-03-05' }, { from: '2031-03-06', until: '2031-03-08' }, { from: '2031-03-08', until: '2031-03-09' }] }, ['body.stays[2] too_close: must begin at least 1 day after body.stays[1] ends']],
  ['open', (on) => on.openAt('body.opens', depot), pickup('2031-03-03T07:00:00Z'), []],
  ['closed at noon', (on) => on.openAt('body.opens', depot), pickup('2031-03-03T11:00:00Z'), ['body.opens closed_then: must be in opening hours; the next begin at 2031-03-03T13:00:00+01:00; "2031-03-03T11:00:00Z" was sent']],
  ['after the clocks went forward', (on) => on.openAt('body.opens', depot), pickup('2031-03-31T06:00:00Z'), []],
  ['open over midnight, on Sunday too', (on) => on.openAt('body.opens', depot), pickup('2031-03-02T00:59:59.999Z'), []],
  ['closed at two, until the evening', (on) => on.openAt('body.opens', depot, { code: 'shut' }), pickup('2031-03-02T01:00:00Z'), ['body.opens shut: must be in opening hours; the next begin at 2031-03-02T18:00:00+01:00; "2031-03-02T01:00:00Z" was sent']],
  ['closed at midnight of Sunday, until Monday', (on) => on.openAt('body.opens', depot), pickup('2031-03-02T23:00:00Z'), ['body.opens closed_then: must be in opening hours; the next begin at 2031-03-03T08:00:00+01:00; "2031-03-02T23:00:00Z" was sent']],
  ['on Tuesday, until Saturday', (on) => on.openAt('body.opens', depot), pickup('2031-03-04T12:00:00Z'), ['body.opens closed_then: must be in opening hours; the next begin at 2031-03-08T22:00:00+01:00; "2031-03-04T12:00:00Z" was sent']],
  ['over the end of the week', (on) => on.openAt('body.opens', { zone: 'UTC', hours: { sun: [['22:00', '06:00']] } }), pickup('2031-03-03T05:00:00Z'), []],
  ['before 1970, by a zone that was sent', (on) => on.openAt('body.opens', { ...depot, zone: 'body.word' }), pickup('1969-12-29T13:00:00Z', 'America/New_York'), []],
  ['a zone that is none', (on) => on.openAt('body.opens', { ...depot, zone: 'body.word' }), pickup('1969-12-29T13:00:00Z', 'Atlantis/City'), ['body.word wrong_format: must be a time zone such as Europe/Vienna']],
  ['a zone that was not sent', (on) => on.openAt('body.opens', { ...depot, zone: 'body.word' }), pickup('1969-12-29T19:00:00Z'), []],
  ['the end of all that can be written', (on) => on.openAt('body.opens', depot), pickup('9999-12-31T23:59:59Z'), ['body.opens closed_then: must be in opening hours; "9999-12-31T23:59:59Z" was sent']],
  ['clocks that were apart by seconds', (on) => on.openAt('body.opens', { zone: 'Europe/Vienna', hours: depot.hours }), pickup('1890-01-07T12:00:00Z'), ['body.opens closed_then: must be in opening hours; the next begin at 1890-01-11T20:54:39Z; "1890-01-07T12:00:00Z" was sent']],
  ['in each element', (on) => on.openAt('body.legs[].departs', depot), at(7, 8), ['body.legs[0].departs closed_then: must be in opening hours; the next begin at 2031-03-01T22:00:00+01:00; "2031-03-01T07:00:00Z" was sent', 'body.legs[1].departs closed_then: must be in opening hours; the next begin at 2031-03-01T22:00:00+01:00; "2031-03-01T08:00:00Z" was sent']],
  ['days that are near enough', (on) => on.gap('body.from', 'body.until', { atLeast: '1d', atMost: '14d' }), { from: '2031-02-27', until: '2031-03-13' }, []],
  ['days that are too far', (on) => on.gap('body.from', 'body.until', { atMost: '14d' }), { from: '2031-02-27', until: '2031-03-14' }, ['body.until too_far: must be at most 14 days after body.from ("2031-02-27"); "2031-03-14" was sent']],
  ['days that are too close', (on) => on.gap('body.from', 'body.until', { atLeast: '2d' }), { from: '2031-02-27', until: '2031-02-28' }, ['body.until too_close: must be at least 2 days after body.from ("2031-02-27"); "2031-02-28" was sent']],
  ['what comes before is too close', (on) => on.gap('body.from', 'body.until', { atLeast: '0s' as never }), { from: '2031-02-27', until: '2031-02-26' }, ['body.until too_close: must not come before body.from ("2031-02-27"); "2031-02-26" was sent']],
  ['instants', (on) => on.gap('body.opens', 'body.closes', { atMost: '36h', code: 'long_night', blames: ['body.opens'] }), { opens: '2031-03-01T00:00:00Z', closes: '2031-03-02T12:00:00.001Z' }, ['body.opens long_night: must be at most 1 day 12 hours before body.closes ("2031-03-02T12:00:00.001Z"); "2031-03-01T00:00:00Z" was sent']],
  ['a third is blamed', (on) => on.gap('body.low', 'body.high', { atLeast: 5, blames: ['body.from'] }), { low: 1, high: 2, from: '2031-03-01' }, ['body.from too_close: needs body.high to be at least 5 more than body.low']],
  ['numbers', (on) => on.gap('body.low', 'body.high', { atLeast: 5, atMost: 10 }), { low: -3, high: 8 }, ['body.high too_far: must be at most 10 more than body.low (-3); 8 was sent']],
  ['decimals, exactly', (on) => on.gap('body.net', 'body.gross', { atMost: 0.2 }), { net: '0.1', gross: '0.3' }, []],
  ['durations', (on) => on.gap('body.short', 'body.long', { atLeast: '1h' }), { short: 'PT1H', long: 'PT90M' }, ['body.long too_close: must be at least 1 hour after body.short ("PT1H"); "PT1H30M" was sent']],
  ['as many nights as it says', (on) => on.gap('body.from', 'body.until', { exactly: 'body.low', in: 'd' }), { from: '2031-02-27', until: '2031-03-02', low: 2 }, ['body.until too_far: must be body.low (2 days) after body.from ("2031-02-27"); "2031-03-02" was sent']],
  ['exactly so far, first blamed', (on) => on.gap('body.opens', 'body.closes', { exactly: '90m', blames: ['body.opens'] }), { opens: '2031-03-01T00:00:00Z', closes: '2031-03-01T01:00:00Z' }, ['body.opens too_close: must be 1 hour 30 minutes before body.closes ("2031-03-01T01:00:00Z"); "2031-03-01T00:00:00Z" was sent']],
  ['a month after the last of January', (on) => on.gap('body.from', 'body.until', { exactly: '1mo' }), { from: '2031-01-31', until: '2031-02-28' }, []],
  ['years, by the calendar', (on) => on.gap('body.from', 'body.until', { atLeast: '18y' }), { from: '2013-03-02', until: '2031-03-01' }, ['body.until too_close: must be at least 18 years after body.from ("2013-03-02"); "2031-03-01" was sent']],
  ['months of instants', (on) => on.gap('body.opens', 'body.closes', { atMost: 'body.low', in: 'mo' }), { opens: '2031-01-31T12:00:00Z', closes: '2031-03-31T12:00:00.001Z', low: 2 }, ['body.closes too_far: must be at most body.low (2 months) after body.opens ("2031-01-31T12:00:00Z"); "2031-03-31T12:00:00.001Z" was sent']],
  ['numbers by a third', (on) => on.gap('body.low', 'body.high', { exactly: 'body.net' }), { low: 1, high: 3, net: '1.5' }, ['body.high too_far: must be body.net (1.5) more than body.low (1); 3 was sent']],
  ['more months than any calendar has', (on) => on.gap('body.from', 'body.until', { atLeast: 'body.low', in: 'mo' }), { from: '2031-01-31', until: '2031-03-31', low: 9007199254740991 }, ['body.until too_close: must be at least body.low (9007199254740991 months) after body.from ("2031-01-31"); "2031-03-31" was sent']],
  ['a limit that was not sent', (on) => on.gap('body.low', 'body.high', { atMost: 'body.net' }), { low: 1, high: 300 }, []],
  ['a distance that waits', (on) => on.gap('body.low', 'body.high', { atLeast: 5 }), { low: 1 }, []],
])('%s', (_, rule, sent, errors) => expect(told(rule, sent)).toEqual(errors))

test.each<[string, (on: never) => unknown, string]>([
  ['elements of no list', (on: RuleMaker<Input>) => on.inOrder('body.low' as never), 'body.low name no fields of one list'],
  ['elements of two lists', (on: RuleMaker<Input>) => on.distinct('body.marks[]', 'body.legs[].gate'), 'body.marks[] and body.legs[].gate name no fields of one list'],
  ['among one value', (on: RuleMaker<Input>) => on.among('body.low', 'body.high' as never), "body.high is one value. Name values in a list: 'body.nodes[].id'; or compare with equal"],
  ['names of what is no table', (on: RuleMaker<Input>) => on.among('body.nodes[].id', { namesOf: 'body.nodes' as never }), 'body.nodes is no table. Name a field made by table()'],
  ['a number among names', (on: RuleMaker<Input>) => on.among('body.low', { namesOf: 'body.named' }), 'body.low is a number, and names are texts. Name a field of texts'],
  ['a number among texts', (on: RuleMaker<Input>) => on.among('body.low', 'body.nodes[].id' as never), 'body.low is a number and body.nodes[].id a text, which do not compare'],
  ['references outside of the elements', (on: RuleMaker<Input>) => on.acyclic('body.nodes[].id', 'body.word' as never), 'body.nodes[].id and body.word name no fields of one element'],
  ['a count of one value', (on: RuleMaker<Input>) => on.count('body.low' as never, { atMost: 1 }), "body.low is one value. Name the elements of a list: 'body.crew[]'"],
  ['a count without a limit', (on: RuleMaker<Input>) => on.count('body.marks[]', {}), 'it has no limit'],
  ['a count that no list has', (on: RuleMaker<Input>) => on.count('body.marks[]', { atLeast: 3, atMost: 2 }), 'no count is within its limits'],
  ['groups by themselves', (on: RuleMaker<Input>) => on.distinct(from, { by: ['body.days[].slots[]'] }), 'by body.days[].slots[] leaves each element alone'],
  ['groups by another list', (on: RuleMaker<Input>) => on.distinct(from, { by: ['body.nodes[].id'] }), 'body.nodes[].id is no one value for each body.days[].slots[].from'],
  ['groups by nothing', (on: RuleMaker<Input>) => on.count('body.marks[]', { atMost: 1, by: [] }), 'by names nothing'],
  ['nothing to round', (on: RuleMaker<Input>) => on.sumWithin(['body.low', 'body.high'], { atMost: 5, rounded: 2 }), 'it rounds products, and has none'],
  ['times of several terms', (on: RuleMaker<Input>) => on.sumWithin(['body.low', 'body.high'], { atMost: 5, times: 'body.low' }), "times belongs to no term. Write the product as a term: ['body.fee', 'body.count']"],
  ['factors of two lists', (on: RuleMaker<Input>) => on.sumWithin([['body.marks[]', until]], { atMost: 5 }), 'is no one value for each'],
  ['a distance without a limit', (on: RuleMaker<Input>) => on.gap('body.low', 'body.high', {}), 'it has no limit'],
  ['no moment', (on: RuleMaker<Input>) => on.openAt('body.from', depot), 'body.from is a date, and no moment'],
  ['no zone', (on: RuleMaker<Input>) => on.openAt('body.opens', { ...depot, zone: 'Not/AZone' }), '"Not/AZone" is no time zone'],
  ['no day', (on: RuleMaker<Input>) => on.openAt('body.opens', { zone: 'UTC', hours: { monday: [['08:00', '12:00']] } as never }), '"monday" is no day'],
  ['no hours', (on: RuleMaker<Input>) => on.openAt('body.opens', { zone: 'UTC', hours: { mon: [['08:00', '25:00']] } }), '["08:00","25:00"] are no hours'],
  ['never', (on: RuleMaker<Input>) => on.openAt('body.opens', { zone: 'UTC', hours: { mon: [] } }), 'it is never open'],
  ['a rest of no kind', (on: RuleMaker<Input>) => on.apart(from, until, { rest: '1h' }), "rest 1h is no distance of body.days[].slots[].from. Write a span such as '11h' for times, and a number for numbers"],
  ['a rest without a gap', (on: RuleMaker<Input>) => on.apart(from, until, { rest: 1, seamless: true }), 'a rest leaves a gap, and seamless allows none'],
  ['no last day', (on: RuleMaker<Input>) => on.apart('body.legs[].departs', 'body.legs[].departs', { lastIncluded: true }), 'body.legs[].departs has no last day'],
  ['a limit of no unit', (on: RuleMaker<Input>) => on.gap('body.from', 'body.until', { exactly: 'body.low' }), "it does not say what body.low counts. Add in: 'd' for days, or another unit"],
  ['months between durations', (on: RuleMaker<Input>) => on.gap('body.short', 'body.long', { atMost: '2mo' }), 'body.short is a duration, which has no months'],
  ['exactly and more', (on: RuleMaker<Input>) => on.gap('body.low', 'body.high', { exactly: 1, atMost: 3 }), 'exactly leaves no room for other limits'],
  ['a limit in each of many', (on: RuleMaker<Input>) => on.gap('body.low', 'body.high', { atMost: 'body.marks[]' }), 'body.marks[] is no one limit'],
  ['a span between numbers', (on: RuleMaker<Input>) => on.gap('body.low', 'body.high', { atMost: '1d' }), 'body.low is a number, whose distance is a number'],
  ['a number between days', (on: RuleMaker<Input>) => on.gap('body.from', 'body.until', { atMost: 5 }), 'body.from is a date, whose distance is a span'],
  ['one limit between times and numbers', (on: RuleMaker<Input>) => on.gap('body.mixed' as never, 'body.mixed' as never, { atMost: 5 }), 'body.mixed holds times and numbers, which one limit does not measure'],
  ['order of what has none', (on: RuleMaker<Input>) => on.inOrder('body.days[].slots' as never), 'holds values that have no order'],
  ['spans of what has no order', (on: RuleMaker<Input>) => on.apart('body.days[].slots[]' as never, 'body.days[].slots[]' as never), 'holds values that have no order'],
])('makes no sense: %s', (_, rule, mistake) => {
  expect(() => endpoint('POST /', { body, rules: (on) => [rule(on as never) as never] })).toThrow(mistake)
})

test('a rule of a record holds in each list of it, and thirty thousand elements take no more than a sort', () => {
  const rota = record({ shifts: list(record({ from: integer(), until: integer() })) }, { rules: (on) => [on.apart('shifts[].from', 'shifts[].until'), on.distinct('shifts[].from'), on.inOrder('shifts[].from')] })
  const week = endpoint('POST /', { body: record({ rotas: list(rota) }) })
  const verdict = judgeParts(week, { body: { rotas: [{ shifts: [{ from: 1, until: 2 }] }, { shifts: [{ from: 1, until: 3 }, { from: 2, until: 4 }] }] } })
  expect(verdict.outcome === 'rejected' && verdict.errors.map(({ address }) => address)).toEqual(['body.rotas[1].shifts[1]'])
  const many = Array.from({ length: 30_000 }, (_, index) => ({ from: index, until: index + 1 }))
  expect(judgeParts(week, { body: { rotas: [{ shifts: many }] } }).outcome).toBe('accepted')
  const chain = Array.from({ length: 30_000 }, (_, index) => ({ id: `n${index}`, to: [`n${index + 1}`] }))
  for (const engine of ['compiled', 'interpreted'] as const) {
    const { tree } = intake({ engine, endpoints: { tree: endpoint('POST /', { body, rules: (on) => [on.acyclic('body.nodes[].id', 'body.nodes[].to[]'), on.among('body.nodes[].to[]', 'body.nodes[].id')] }) } }).endpoints
    const closed = judgeParts(tree, { body: { nodes: [...chain, { id: 'n30000', to: ['n7'] }] } })
    expect(closed.outcome === 'rejected' && closed.errors.map(({ address, code }) => `${address} ${code}`)).toEqual(['body.nodes[30000].to[0] in_a_cycle'])
  }
})

const order = record({
  country: text(optional), postcode: text(optional), quantity: integer(optional), pin: integer({ secret: true, ...optional }),
  rows: list(record({ kind: text(), count: integer(optional), from: day(optional), until: day(optional) }), optional),
  address: record({ street: text(optional), zip: text(optional) }, optional),
})
type Ordered = { header: { 'x-client'?: string }; body: typeof order extends Field<infer T> ? T : never }
const dutch = /^\d{4} ?[A-Z]{2}$/
test.each<[string, (on: RuleMaker<Ordered>) => readonly Rule[], object, string[]]>([
  ['fits', (on) => [on.fits('body.postcode', text({ pattern: dutch, length: [1, 7] }))], { postcode: '1234567890' }, [
    'body.postcode too_long: must have at most 7 characters; "1234567890" was sent']],
  ['while it holds', (on) => [on.while(on.is('body.country', 'NL'), [on.fits('body.postcode', text({ pattern: dutch }))])], { country: 'NL', postcode: 'x' }, [
    'body.postcode wrong_pattern: must match the pattern ^\\d{4} ?[A-Z]{2}$; "x" was sent']],
  ['while it does not', (on) => [on.while(on.is('body.country', 'NL'), [on.fits('body.postcode', text({ pattern: dutch }))])], { country: 'AT', postcode: 'x' }, []],
  ['while nothing is sent', (on) => [on.while(on.is('body.country', 'NL'), [on.fits('body.postcode', text({ pattern: dutch }))])], { postcode: 'x' }, []],
  ['absent values fit', (on) => [on.fits('body.postcode', text({ pattern: dutch }))], {}, []],
  ['one inside another, in each element', (on) => [on.while(on.sent('body.country'), [on.while(on.is('body.rows[].kind', 'box'), [on.fits('body.rows[].count', integer({ max: 5 })), on.ascending('body.rows[].from', 'body.rows[].until')])])],
    { country: 'AT', rows: [{ kind: 'box', count: 9 }, { kind: 'bag', count: 9, from: '2031-03-02', until: '2031-03-01' }, { kind: 'box', from: '2031-03-02', until: '2031-03-01' }] },
    ['body.rows[0].count above_max: must be at most 5; 9 was sent', 'body.rows[2].until out_of_order: must come after body.rows[2].from ("2031-03-02"); "2031-03-01" was sent']],
  ['a secret fits nothing aloud', (on) => [on.fits('body.pin', integer({ min: 1000 }))], { pin: 7 }, ['body.pin below_min: must be at least 1000']],
  ['some fields of a record', (on) => [on.fits('body.address', record({ zip: text({ pattern: dutch }) }))], { address: { street: 'x' } }, ['body.address.zip missing: must be sent']],
  ['a form as a condition', (on) => [on.needed('body.country', on.suits('body.postcode', text({ pattern: dutch })))], { postcode: '1234 AB' }, ['body.country needed: must be sent when body.postcode has that form']],
  ['not of that form', (on) => [on.needed('body.country', on.suits('body.postcode', text({ pattern: dutch })))], { postcode: '1234' }, []],
  ['what is wrong already is not told twice', (on) => [on.fits('body.quantity', integer({ max: 5 }))], { quantity: 'x' }, ['body.quantity wrong_type: must be a whole number; "x" was sent']],
])('%s', (_, rules, sent, errors) => {
  const verdict = judgeParts(endpoint('POST /', { header: { 'x-client': text(optional) }, body: order, rules: rules as never }), { body: sent })
  expect(verdict.outcome === 'rejected' ? verdict.errors.map(({ address, code, message }) => `${address} ${code}: ${message}`) : []).toEqual(errors)
})
test.each<[string, (on: RuleMaker<Ordered>) => readonly Rule[], string]>([
  ['a default in it', (on) => [on.fits('body.quantity', integer({ default: 5 }))], 'its field has default, and changes nothing. Take default away'],
  ['what tidies', (on) => [on.fits('body.address', record({ zip: text({ tidy: ['trim'] }) }))], 'its field has tidy'],
  ['a fill that depends', (on) => [on.while(on.sent('body.country'), [on.fill('body.quantity', [], () => 5)])], 'a fill in it would be no rule'],
  ['a condition on nothing', (on) => [on.while(on.sent('body.contry' as never), [on.fits('body.quantity', integer())])], 'body.contry is not declared. It may be body.country that is meant'],
])('a rule that makes no sense: %s', (_, rules, told) => {
  expect(() => endpoint('POST /', { body: order, rules: rules as never })).toThrow(told)
})
test('what does not run says why, and outline says while', () => {
  const put = endpoint('POST /', { body: order, rules: (on) => [on.while(on.is('body.country', 'NL'), [on.atLeastOne('body.postcode', 'body.address')])] })
  const { trace } = judgeParts(put, { body: { country: 'AT' } }, { trace: true })
  expect(trace?.steps.at(-1)).toMatchObject({ outcome: 'not run', because: 'its condition does not hold' })
  expect(JSON.stringify(outline(put))).toContain('body needs one of body.postcode, body.address, while body.country is NL')
})

test('each says in words what it asks', () => {
  const rules = (on: RuleMaker<Input>) => [on.inOrder('body.legs[].departs'), on.distinct('body.legs[].gate', 'body.legs[].at'), on.apart('body.days[].slots[].from', 'body.days[].slots[].until'), on.gap('body.from', 'body.until', { atLeast: '1d', atMost: '14d' })]
  const { rules: said } = outline(endpoint('POST /', { body, rules: rules as never }))
  expect(said.map(({ words }) => words)).toEqual([
    'body.legs[].departs must come after the one before it',
    'body.legs[] must not have the same body.legs[].gate, body.legs[].at as another',
    'body.days[].slots[] must not overlap another, each from body.days[].slots[].from to body.days[].slots[].until',
    'body.until must be 1 day to 14 days after body.from',
  ])
})

test.each<[string, (on: RuleMaker<Input>) => Rule, string]>([
  ['among', known, 'body.nodes[].to[] must be one of body.nodes[].id'],
  ['names', (on) => on.among('body.nodes[].id', { namesOf: 'body.named' }), 'body.nodes[].id must be a name in body.named'],
  ['acyclic', circle, 'body.nodes[].to[] must not lead back to itself'],
  ['count', (on) => on.count('body.nodes[]', { where: on.is('body.nodes[].up', 'x'), atLeast: 1, by: ['body.nodes[].id'] }), 'body.nodes must have at least 1 element for which body.nodes[].up is x, for each body.nodes[].id'],
  ['a count of what is secret', (on) => on.count('body.nodes[]', { where: on.is('body.nodes[].pin', 'x'), atMost: 1 }), 'body.nodes must have the right number of certain elements'],
  ['sums', (on) => on.sumWithin(['body.low', ['body.net', 'body.high']], { less: ['body.gross'], exactly: 'body.low' }), 'body.low must add up to body.low: body.low + body.net × high − body.gross'],
  ['a gap', (on) => on.gap('body.from', 'body.until', { exactly: 'body.low', in: 'd' }), 'body.until must be body.low days after body.from'],
  ['months', (on) => on.gap('body.from', 'body.until', { atMost: '6mo' }), 'body.until must be at most 6 months after body.from'],
  ['a rest', (on) => on.apart(from, until, { rest: 2 }), 'body.days[].slots[] must begin at least 2 after another ends, each from body.days[].slots[].from to body.days[].slots[].until'],
  ['opening hours', (on) => on.openAt('body.opens', depot), 'body.opens must be in opening hours: Monday 08:00–12:00, 13:00–18:00; Saturday 22:00–02:00; Sunday 18:00–24:00'],
])('outline says in words: %s', (_, rule, words) => {
  expect(outline(endpoint('POST /', { body, rules: (on) => [rule(on as never)] })).rules.map((one) => one.words)).toEqual([words])
})
