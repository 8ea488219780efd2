/** No output shows what is declared a secret: every kind of field, in every place, in every output. */
import { expect, jest, test } from '@jest/globals'
import {
  codeOf,
  constant,
  either,
  endpoint,
  type Field,
  integer,
  list,
  outline,
  record,
  table,
  text,
  tuple,
} from 'yosei'
import { everyKind as every } from '../dist/internals.js'
import { digits, kinds, marks, outputs, places, secret, written } from './secrets.ts'

const carried = ['path', 'query', 'header', 'cookie'] as const
const isScalar = (kind: string) =>
  !['anything', 'schema', 'list', 'tuple', 'record', 'table', 'tagged', 'either', 'later', 'file'].includes(kind)

test('no kind is forgotten here', () => {
  expect(Object.keys(kinds).sort()).toEqual(Object.keys(every).sort())
})
test.each(Object.entries(kinds))('no output shows a secret %s', async (kind, [field, ...values]) => {
  const quiet = jest.spyOn(console, 'error').mockImplementation(() => undefined)
  for (const [place, [declare, put]] of Object.entries(places)) {
    if (kind === 'file') continue
    const declared = endpoint('POST /', { body: declare(field) })
    expect(written([place, outline(declared)])).not.toMatch(marks)
    expect(codeOf(declared)).not.toMatch(marks)
    for (const value of values) {
      const message = {
        method: 'POST',
        target: '/',
        headers: { 'content-type': 'application/json' },
        body: written(put(value)),
      }
      for (const output of await outputs(declared, message)) expect(`${place}: ${output}`).not.toMatch(marks)
    }
  }
  for (const part of isScalar(kind) ? carried : [])
    for (const wrap of part === 'cookie'
      ? [(one: Field) => one]
      : [(one: Field) => one, (one: Field) => list(one), (one: Field) => tuple([one, one])]) {
      const { default: _, ...required } = field as unknown as { default?: unknown }
      const inside = part === 'path' ? ({ ...required, need: 'required' } as never as Field) : field
      const wrapped = wrap(inside)
      const declared = endpoint(part === 'path' ? 'GET /{a}' : 'GET /', { [part]: { a: wrapped } } as never)
      for (const value of values.map((one) => encodeURIComponent(String(one)))) {
        const target = part === 'path' ? `/${value}` : part === 'query' ? `/?a=${value}&a=${value}` : '/'
        const headers = part === 'header' ? { a: value } : part === 'cookie' ? { cookie: `a=${value}` } : {}
        for (const output of await outputs(declared, { method: 'GET', target, headers }))
          expect(`${part}: ${output}`).not.toMatch(marks)
      }
    }
  quiet.mockRestore()
})

test('nor do rules tell it, nor what they make of it', async () => {
  const pin = integer({ ...secret, optional: true })
  type On = { readonly [name: string]: (...all: unknown[]) => never }
  const rules: [string, (on: Required<On>) => unknown[]][] = [
    ['a union in a union', (on) => [on.equal?.('body.either', 'body.open'), on.equal?.('body.open', 'body.either')]],
    [
      'fits',
      (on) => [
        on.fits?.('body.pin', constant(digits)),
        on.needed?.('body.note', on.suits?.('body.pin', constant(digits))),
      ],
    ],
    [
      'equal',
      (on) => [on.equal?.('body.pin', 'body.open'), on.equal?.('body.open', 'body.pin', { blames: ['body.open'] })],
    ],
    ['ascending', (on) => [on.ascending?.('body.pin', 'body.open', { blames: ['body.pin', 'body.open', 'body'] })]],
    ['sums', (on) => [on.sumWithin?.('body.pins[]', [0, 1]), on.sumWithin?.('body.opens[]', { atMost: 'body.pin' })]],
    [
      'conditions',
      (on) => [on.needed?.('body.note', on.all?.(on.is?.('body.pin', digits), on.above?.('body.pin', 918273644)))],
    ],
    ['fill', (on) => [on.fill?.('body.copy', ['body.pin'], (one: number) => one)]],
    ['absent', (on) => [on.absent?.('body.open', on.in?.('body.pin', [digits]))]],
    ['fits on what holds it', (on) => [on.fits?.('body.card', record({ pin: constant(1), plain: constant(2) }))]],
    ['fits on a list of it', (on) => [on.fits?.('body.pins', list(integer({ max: 1 })))]],
    ['fits on a list that holds it', (on) => [on.fits?.('body.cards', list(record({ pin: integer({ max: 1 }) })))]],
    ['fits on a table of it', (on) => [on.fits?.('body.table', table(integer({ max: 1 })))]],
    [
      'rules in what it must fit',
      (on) => [
        on.fits?.(
          'body.card',
          record(
            { pin: integer(), plain: integer() },
            { rules: (inner) => [inner.ascending('pin', 'plain'), inner.equal('plain', 'pin')] },
          ),
        ),
      ],
    ],
    [
      'what is the same',
      (on) => [
        on.differ?.('body.pin', 'body.twin'),
        on.differ?.('body.pin', 'body.twin', { blames: ['body.pin'] }),
        on.differ?.('body.twin', 'body.pin', { message: 'is {sent}, {other}' }),
      ],
    ],
    [
      'what a check throws',
      (on) => [
        on.check?.({
          reads: ['body.pin'],
          code: 'own',
          holds: (one: number) => {
            throw new TypeError(`no ${one}`)
          },
        }),
      ],
    ],
    [
      'what a search throws',
      (on) => [
        on.find?.({
          reads: ['body.card'],
          code: 'own',
          finds: (one: object) => {
            throw new Error(`no ${JSON.stringify(one)}`)
          },
        }),
      ],
    ],
    [
      'what a fill throws',
      (on) => [
        on.fill?.('body.plain', ['body.pin'], (one: number) => {
          throw new Error(`no ${one}`)
        }),
      ],
    ],
    [
      'what is made of it',
      (on) => [on.fill?.('body.plain', ['body.pin'], (one: number) => one), on.equal?.('body.open', 'body.pin')],
    ],
  ]
  for (const [name, made] of rules) {
    const declared = endpoint('POST /', {
      body: record({
        pin,
        pins: list(integer(secret)),
        opens: list(integer()),
        open: integer({ optional: true }),
        either: either([integer({ max: 1 }), either([integer({ min: 5 }), either([integer()], secret as never)])]),
        note: text({ optional: true }),
        copy: integer({ ...secret, optional: true }),
        card: record({ pin: integer(secret), plain: integer() }),
        cards: list(record({ pin: integer(secret) })),
        table: table(integer(secret)),
        twin: integer(),
        plain: integer({ optional: true }),
      }),
      rules: made,
    } as never)
    expect(written(outline(declared))).not.toMatch(marks)
    const message = {
      method: 'POST',
      target: '/',
      headers: { 'content-type': 'application/json' },
      body: written({
        pin: digits,
        pins: [digits],
        opens: [1e9],
        open: 5,
        either: digits,
        card: { pin: digits, plain: 5 },
        cards: [{ pin: digits }],
        table: { a: digits },
        twin: name === 'what is the same' ? digits : 7,
      }),
    }
    for (const output of await outputs(declared, message)) expect(`${name}: ${output}`).not.toMatch(marks)
  }
})
