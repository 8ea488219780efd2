/**
 * How judging grows with what is sent: every rule, condition and option over 1,000 to 64,000 elements, names or
 * characters, in both engines. Four times as many may take at most nine times as long: what grows with the square takes sixteen. Prints the worst
 * step of each, and exits with 1 if one is over its bound.
 */
import { anything, endpoint, instant, intake, integer, judgeParts, list, record, table, tagged, text } from 'yosei'

const sizes = [1000, 4000, 16_000, 64_000]
const bound = 9
const o = { optional: true }
const row = record({ a: integer(o), b: integer(o), c: text(o), at: instant(o), to: instant(o), in: list(integer(), o) })
const body = record({
  rows: list(row, o),
  names: table(integer(), o),
  texts: list(text(), { ...o, distinct: true }),
  tags: list(tagged('k', { x: record({ n: integer() }), y: record({}) }), { ...o, distinct: 'k' }),
  word: text({ ...o, tidy: ['NFC', 'trim', 'squeeze', 'lower'], pattern: /^[^!]*$/ }),
  any: anything(o),
  n: integer(o),
})
const many = (count, one) => Array.from({ length: count }, (_, at) => one(at))
const at = (minutes) => new Date(Date.UTC(2031, 0, 1) + minutes * 60_000).toISOString()
const rows = (count) => ({
  rows: many(count, (index) => ({
    a: index % 7,
    b: index % 5,
    c: `c${index % 9}`,
    at: at(index),
    to: at(index + 2),
    in: [index % 3],
  })),
  n: 3,
})
const selecting = {
  sent: (on) => on.sent('body.rows[].a'),
  is: (on) => on.is('body.rows[].a', 3),
  in: (on) => on.in('body.rows[].a', [1, 2]),
  'is, of the element': (on) => on.is('body.rows[].a', on.other('body.rows[].b')),
  'is, of any': (on) => on.is('body.n', on.other('body.rows[].a')),
  above: (on) => on.above('body.rows[].a', 2),
  below: (on) => on.below('body.rows[].a', on.other('body.n')),
  suits: (on) => on.suits('body.rows[].c', text({ length: [1, 2] })),
  all: (on) => on.all(on.sent('body.rows[].a'), on.above('body.rows[].b', 1)),
  any: (on) => on.any(on.is('body.rows[].a', 1), on.is('body.rows[].b', 1)),
  not: (on) => on.not(on.is('body.rows[].a', 3)),
}
const ruled = {
  ascending: (on) => on.ascending('body.rows[].a', 'body.rows[].b'),
  equal: (on) => on.equal('body.rows[].a', 'body.n'),
  differ: (on) => on.differ('body.rows[].a', 'body.rows[].b'),
  gap: (on) => on.gap('body.rows[].at', 'body.rows[].to', { atMost: '1m' }),
  together: (on) => on.together('body.rows[].a', 'body.rows[].b'),
  exactlyOne: (on) => on.exactlyOne('body.rows[].a', 'body.rows[].b'),
  atLeastOne: (on) => on.atLeastOne('body.rows[].a', 'body.rows[].b'),
  atMostOne: (on) => on.atMostOne('body.rows[].a', 'body.rows[].b'),
  needed: (on) => on.needed('body.rows[].c', on.sent('body.rows[].a')),
  absent: (on) => on.absent('body.rows[].c', on.sent('body.rows[].a')),
  sumWithin: (on) => on.sumWithin('body.rows[].a', { atMost: 1 }),
  'sumWithin, times': (on) => on.sumWithin('body.rows[].a', { times: 'body.rows[].b', atLeast: 1 }),
  'sumWithin, of inner lists': (on) => on.sumWithin('body.rows[].in[]', { atMost: 1 }),
  inOrder: (on) => on.inOrder('body.rows[].a'),
  distinct: (on) => on.distinct('body.rows[].a', 'body.rows[].c'),
  apart: (on) => on.apart('body.rows[].at', 'body.rows[].to'),
  'sumWithin, by': (on) => on.sumWithin('body.rows[].a', { atMost: 1, by: ['body.rows[].c'] }),
  'sumWithin, several terms': (on) =>
    on.sumWithin(['body.rows[].a', ['body.rows[].b', 'body.n']], { less: ['body.rows[].in[]'], atMost: 1 }),
  count: (on) => on.count('body.rows[]', { where: on.is('body.rows[].a', 3), atMost: 1 }),
  'count, by': (on) => on.count('body.rows[].in[]', { by: ['body.rows[].at'], atMost: 0 }),
  'distinct, by': (on) => on.distinct('body.rows[].a', { by: ['body.rows[].c'] }),
  'inOrder, by': (on) => on.inOrder('body.rows[].a', { by: ['body.rows[].c'] }),
  'apart, by': (on) => on.apart('body.rows[].at', 'body.rows[].to', { by: ['body.rows[].c'] }),
  'apart, rest': (on) => on.apart('body.rows[].at', 'body.rows[].to', { rest: '1m', openEnded: true }),
  openAt: (on) => on.openAt('body.rows[].at', { zone: 'Europe/Vienna', hours: { mon: [['08:00', '12:00']] } }),
  among: (on) => on.among('body.rows[].a', 'body.rows[].in[]'),
  'among, none of them': (on) => on.among('body.rows[].c', { namesOf: 'body.names' }),
  acyclic: (on) => on.acyclic('body.rows[].a', 'body.rows[].in[]'),
  fits: (on) => on.fits('body.rows[].a', integer({ max: 3 })),
  check: (on) => on.check({ reads: ['body.rows[].a'], code: 'own', holds: () => false }),
  find: (on) =>
    on.find({
      reads: ['body.rows[].a'],
      code: 'own',
      finds: (all) => all.map((_, index) => ({ at: `body.rows[${index}].a` })),
    }),
  fill: (on) => on.fill('body.rows[].to', ['body.rows[].at'], (one) => one),
}
const sent = {
  'texts that differ': (count) => ({ texts: many(count, String) }),
  'texts that repeat': (count) => ({ texts: many(count, (index) => `t${index % 3}`) }),
  'names of a table': (count) => ({ names: Object.fromEntries(many(count, (index) => [`k${index}`, index])) }),
  'names of a table, wrong': (count) => ({ names: Object.fromEntries(many(count, (index) => [`k${index}`, 'x'])) }),
  'names that are not declared': (count) => Object.fromEntries(many(count, (index) => [`rowz${index}`, index])),
  'unions by their tags': (count) => ({ tags: many(count, () => ({ k: 'x', n: 1 })) }),
  'elements that are none': (count) => ({ rows: many(count, () => 'x') }),
  'values of any kind': (count) => ({ any: many(count, (index) => ({ [`k${index % 9}`]: [index] })) }),
  'marks on one letter': (count) => ({ word: `a${'\u0301\u0327'.repeat(count / 2)}` }),
  blanks: (count) => ({ word: `${' '.repeat(count)}!` }),
  'deep lists': (count) => ({ any: JSON.parse('['.repeat(Math.min(count, 4000)) + ']'.repeat(Math.min(count, 4000))) }),
}

/** Milliseconds of the processor: the least of a few. */
function timeOf(work) {
  let least = Number.POSITIVE_INFINITY
  for (let i = 0; i < 2; i++) {
    const start = process.cpuUsage()
    work()
    const { user, system } = process.cpuUsage(start)
    least = Math.min(least, (user + system) / 1000)
  }
  return least
}

let isOver = false
function report(name, declared, bodyOf) {
  for (const engine of ['compiled', 'interpreted']) {
    const { it } = intake({ engine, limits: { body: '64MB' }, endpoints: { it: declared } }).endpoints
    const run = (count) => {
      const given = { body: bodyOf(count) }
      judgeParts(it, given)
      return timeOf(() => judgeParts(it, given))
    }
    // What takes less than this is not measured, but started.
    const stepsOf = (times) => times.slice(1).map((time, index) => (time < 4 ? 1 : time / Math.max(times[index], 0.5)))
    let times = sizes.map(run)
    // A machine may have been busy.
    for (let again = 0; again < 3 && Math.max(...stepsOf(times)) > bound; again++)
      times = sizes.map((count, index) => Math.min(run(count), times[index]))
    const worst = Math.max(...stepsOf(times))
    isOver ||= worst > bound
    console.log(
      `${`${name}, ${engine}`.padEnd(52)} ${worst.toFixed(1).padStart(6)}  ${worst > bound ? 'OVER' : 'within'}  ${times.map((time) => time.toFixed(1)).join(' ')} ms`,
    )
  }
}
for (const [name, bodyOf] of Object.entries(sent)) report(name, endpoint('PUT /', { body }), bodyOf)
for (const [name, rule] of Object.entries(ruled))
  report(`rule ${name}`, endpoint('PUT /', { body, rules: (on) => [rule(on)] }), rows)
for (const [name, condition] of Object.entries(selecting))
  for (const inner of ['distinct', 'ascending'])
    report(
      `while ${name}, ${inner}`,
      endpoint('PUT /', { body, rules: (on) => [on.while(condition(on), [ruled[inner](on)])] }),
      rows,
    )
process.exitCode = isOver ? 1 : 0
