import { spawnSync } from 'node:child_process'
import { once } from 'node:events'
import type { IncomingMessage, RequestListener, ServerResponse } from 'node:http'
import { connect as connectTo, type Socket } from 'node:net'
import { setTimeout as sleep } from 'node:timers/promises'
import { setFlagsFromString } from 'node:v8'
import { runInNewContext } from 'node:vm'
import { describe, expect, jest, test } from '@jest/globals'
import connect from 'connect'
import express from 'express'
import Koa from 'koa'
import {
  answer,
  anything,
  DeclarationError,
  endpoint,
  file,
  give,
  group,
  type Head,
  instant,
  intake,
  integer,
  type JournalEvent,
  judge,
  judgeParts,
  list,
  readAs,
  record,
  refuse,
  serve,
  text,
} from 'yosei'
import { koaGate } from 'yosei/koa'
import { gate, inputOf, listen, listenerOf } from 'yosei/node'
import { demandsOf } from 'yosei/probe'
import { catalogueFor, languagesOf, shipped } from '../dist/internals.js'
import { started, uploadsFromNow } from './service.ts'

const note = endpoint('POST /notes/{id}', {
  path: { id: integer({ min: 1 }) },
  query: { tag: text({ optional: true, length: [1, 3] }) },
  body: record({
    words: list(text({ length: [1, 5] }), { length: [1, 60] }),
    secret: text({ optional: true, secret: true, length: [1, 3] }),
  }),
})
const read = endpoint('GET /notes/{id}', { path: { id: integer() } })
const post = (body: unknown, headers: { [name: string]: string } = {}, target = '/notes/1') =>
  new Request(`http://kr.example${target}`, {
    method: 'POST',
    headers: { 'content-type': 'application/json', ...headers },
    body: typeof body === 'string' ? body : JSON.stringify(body),
  })
const bad = { words: ['', 'longer'], secret: 'hidden-value' }

describe('a rejection is answered', () => {
  const handlers = { note: () => ({ done: true }), read: () => 1 }
  const handle = serve(intake({ endpoints: { note, read } }), handlers)
  test.each([
    [undefined, 'application/problem+json'],
    ['*/*', 'application/problem+json'],
    ['application/json', 'application/problem+json'],
    ['nonsense', 'application/problem+json'],
    ['image/png', 'application/problem+json'],
    ['text/html', 'text/html; charset=utf-8'],
    ['text/html,application/xhtml+xml,*/*;q=0.8', 'text/html; charset=utf-8'],
    ['text/html;q=0.4, application/json;q=0.5', 'application/problem+json'],
    ['text/*;q=0.5, text/html;q=0', 'text/plain; charset=utf-8'],
    ['text/plain', 'text/plain; charset=utf-8'],
    ['application/json;q=0, application/problem+json;q=0, */*;q=0.1', 'text/html; charset=utf-8'],
    ['text/plain;q=7', 'application/problem+json'],
  ])('Accept: %s → %s', async (accept, type) => {
    const response = await handle(post(bad, accept === undefined ? {} : { accept }))
    expect([
      response.status,
      response.headers.get('content-type'),
      response.headers.get('vary'),
      response.headers.get('cache-control'),
    ]).toEqual([422, type, 'Accept, Accept-Language', 'no-store'])
    const told = await response.text()
    for (const part of ['body.words[0]', 'body.words[1]', 'body.secret', '5 characters']) expect(told).toContain(part)
    expect(told).not.toContain('hidden')
  })
  test.each([
    ['de', 'de', 'muss mindestens 1 Zeichen haben'],
    ['fr, de-AT;q=0.8, en;q=0.5', 'de', 'muss mindestens 1 Zeichen haben'],
    ['de;q=0, en', 'en', 'must have at least 1 character'],
    ['fr', 'en', 'must have at least 1 character'],
    ['*', 'en', 'must have at least 1 character'],
    ['la-x-old', 'la, en', 'brevius quam licet'],
  ])('Accept-Language: %s → %s', async (language, spoken, words) => {
    const app = intake({
      endpoints: { note },
      languages: { la: { too_short: 'brevius quam licet', 'detail.more': '{first}; praeterea {more}' } },
    })
    const response = await serve(app, { note: () => 1 })(post(bad, { 'accept-language': language }))
    const { detail, fields } = (await response.json()) as {
      detail: string
      fields: { [address: string]: { code: string; detail: string }[] }
    }
    expect([response.headers.get('content-language'), fields['body.words[0]']?.[0]?.code]).toEqual([
      spoken,
      'too_short',
    ])
    expect(fields['body.words[0]']?.[0]?.detail).toContain(words)
    expect(detail).toContain(words)
  })
  test('every code has words in every language, with the same places in them', () => {
    const places = (text: string) => [...new Set([...text.matchAll(/\{([a-z]+)/g)].map(([, name]) => name))].sort()
    const english = catalogueFor('en', undefined, shipped)
    for (const tag of languagesOf(undefined)) {
      const words = shipped[tag] as typeof english
      expect(Object.keys(words).sort()).toEqual(Object.keys(english).sort())
      for (const code of Object.keys(english).filter((one) => !/^(out_of_range|sent\.)/.test(one)))
        expect([code, places(words[code] as string)]).toEqual([code, places(english[code] as string)])
    }
  })
  test('in an envelope of the house, and in its own words', async () => {
    const events: JournalEvent[] = []
    const app = intake({
      endpoints: { note },
      journal: { write: (event) => void events.push(event) },
      languages: { en: { too_long: 'is wordy' } },
      envelope: ({ errors, more }, { status, instance }) => {
        if (errors[0]?.address === 'path.id') throw new Error('the envelope is torn')
        return {
          body: {
            ok: false,
            status,
            instance,
            said: errors.map(({ address, message }) => `${address} ${message}`),
            more,
          },
          type: 'application/vnd.kr+json',
        }
      },
    })
    const handle = serve(app, { note: () => 1 })
    const response = await handle(post(bad, { traceparent: '00-0af7651916cd43dd8448eb211c80319c-b7ad6b7169203331-01' }))
    expect([response.status, response.headers.get('content-type')]).toEqual([422, 'application/vnd.kr+json'])
    expect(await response.json()).toEqual({
      ok: false,
      status: 422,
      instance: 'urn:uuid:0af76519-16cd-43dd-8448-eb211c80319c',
      said: [
        'body.words[0] must have at least 1 character; "" was sent',
        'body.words[1] is wordy; "longer" was sent',
        'body.secret is wordy',
      ],
      more: 0,
    })
    expect(events[0]).toMatchObject({
      id: '0af76519-16cd-43dd-8448-eb211c80319c',
      endpoint: 'note',
      outcome: 'rejected',
      status: 422,
      stage: 'shape',
    })
    expect(events[0]?.errors).toEqual([
      { address: 'body.words[0]', code: 'too_short', sent: '' },
      { address: 'body.words[1]', code: 'too_long', sent: 'longer' },
      { address: 'body.secret', code: 'too_long' },
    ])
    expect((await handle(post(bad, {}, '/notes/0'))).headers.get('content-type')).toBe('application/problem+json')
  })
  test('with as many errors as are wanted', async () => {
    const app = intake({ endpoints: { note }, limits: { errors: 2 } })
    const verdict = await judge(app, post({ words: Array.from({ length: 9 }, () => '') }))
    expect(verdict).toMatchObject({ outcome: 'rejected', more: 7 })
    const response = answer(
      verdict as never,
      new Request('http://kr.example', { headers: { accept: 'text/plain', 'accept-language': 'de' } }),
    )
    expect((await response.text()).split('\n').slice(0, 3)).toEqual([
      '422 Unprocessable Content',
      'body.words[0] muss mindestens 1 Zeichen haben; gesendet wurde ""',
      'body.words[1] muss mindestens 1 Zeichen haben; gesendet wurde ""',
    ])
  })
})

type Loose = { readonly [name: string]: (...all: unknown[]) => never }

describe('serve', () => {
  test('endpoints and handlers that do not pair up are refused at start', () => {
    const app = intake({ endpoints: { note, read } })
    expect(() => serve(app, { note: () => 1 } as never)).toThrow(
      new DeclarationError(
        'serve, read',
        'the endpoint has no handler',
        'Add read: (input, context) => … to the handlers',
      ),
    )
    expect(() => serve(app, { note: () => 1, read: () => 1, other: () => 1 } as never)).toThrow(
      'the handler has no endpoint',
    )
  })
  test('failures are journalled with the id that the answer has, and told without a word of the inside', async () => {
    const events: JournalEvent[] = []
    const app = intake({ endpoints: { note, read }, journal: { write: (event) => void events.push(event) } })
    const torn = new Error('password of the database')
    const handle = serve(
      app,
      {
        note: () => ({
          toJSON: () => {
            throw torn
          },
        }),
        read: () => Promise.reject(torn),
      },
      { letThrough: (error) => error !== torn },
    )
    for (const request of [post({ words: ['a'] }), new Request('http://kr.example/notes/1')]) {
      const response = await handle(request)
      const { instance, ...problem } = (await response.json()) as { instance: string }
      expect(problem).toEqual({
        type: 'about:blank',
        title: 'Internal Server Error',
        status: 500,
        detail: 'Internal error; it was logged.',
      })
      expect(events.at(-1)).toMatchObject({
        id: instance.slice(9),
        outcome: 'failed',
        status: 500,
        stage: 'handle',
        cause: torn,
      })
    }
    const fatal = serve(app, { note: () => 1, read: () => Promise.reject(torn) }, { letThrough: () => true })
    await expect(fatal(new Request('http://kr.example/notes/1'))).rejects.toBe(torn)
    expect(events).toHaveLength(3)
    const broken = intake({
      endpoints: { note, read },
      journal: {
        write: () => {
          throw torn
        },
      },
    })
    expect((await serve(broken, { note: () => 1, read: () => 1 })(post(bad))).status).toBe(422)
    const rejected = jest.fn()
    process.on('unhandledRejection', rejected)
    const slow = intake({ endpoints: { note, read }, journal: { write: () => Promise.reject(torn) } })
    expect((await serve(slow, { note: () => 1, read: () => 1 })(post(bad))).status).toBe(422)
    await sleep(20)
    process.off('unhandledRejection', rejected)
    expect(rejected).not.toHaveBeenCalled()
  })
  test('header fields that cannot be sent are a failure of the service, and end nothing', async () => {
    const events: JournalEvent[] = []
    const app = intake({ endpoints: { note, read }, journal: { write: (event) => void events.push(event) } })
    const handlers = {
      note: () => refuse({ status: 409, code: 'held', message: 'is held', headers: { 'x-by': 'line\nbreak' } }),
      read: () => new Response('words', { headers: { 'x-by': 'bell \x07' } }),
    }
    const handle = serve(app, handlers)
    expect([(await handle(post({ words: ['a'] }))).status, events.at(-1)?.outcome]).toEqual([409, 'failed'])
    const { url, close } = await listen(handle)
    for (let i = 0; i < 2; i++) expect((await fetch(`${url}/notes/1`)).status).toBe(500)
    expect(events.at(-1)).toMatchObject({ outcome: 'failed', status: 500 })
    await close()
  })
  test.each([
    ['body.rows[0].a', 'body.rows[0].a', '/rows/0/a'],
    ['body.rows[-1].a', 'body.rows[1].a', '/rows/1/a'],
    ['body.rows[-2]', 'body.rows[0]', '/rows/0'],
    // What is not there, and no element alone.
    ['body.rows[-3].a', 'body.rows', '/rows'],
    ['body.rows[].a', 'body.rows', '/rows'],
  ])('a handler refuses at %s', async (at, address, pointer) => {
    const put = endpoint('PUT /', { body: record({ rows: list(record({ a: text() })) }) })
    const handle = serve(intake({ endpoints: { put } }), {
      put: () => refuse({ status: 409, code: 'taken', message: 'is taken', at }),
    })
    const headers = { 'content-type': 'application/json' }
    const body = JSON.stringify({ rows: [{ a: 'x' }, { a: 'y' }] })
    const { fields } = await (await handle(new Request('http://h/', { method: 'PUT', headers, body }))).json()
    expect(fields).toEqual({ [address]: [{ code: 'taken', detail: 'is taken', pointer }] })
  })

  test('who asks is found before the body is received, and given to the handler', async () => {
    const app = intake({
      endpoints: { note },
      identify: async ({ headers }, { keys }: { keys: string[] }) =>
        keys.includes(headers.get('authorization') ?? '')
          ? { team: 'nebula' }
          : refuse({
              status: 401,
              code: 'unknown_key',
              message: 'is not known here',
              headers: { 'www-authenticate': 'Basic realm="kr"' },
            }),
    })
    const handle = serve(app, { note: (_, { who, services }) => ({ who, services }) }, { services: { keys: ['k-1'] } })
    expect(await (await handle(post({ words: ['a'] }, { authorization: 'k-1' }))).json()).toEqual({
      who: { team: 'nebula' },
      services: { keys: ['k-1'] },
    })
    const barred = await handle(post('{', { authorization: 'k-2' }))
    expect([barred.status, barred.headers.get('www-authenticate')]).toEqual([401, 'Basic realm="kr"'])
    expect(await judge(app, post({ words: ['a'] }), { services: { keys: [] } })).toMatchObject({
      status: 401,
      stage: 'identify',
    })
    expect(await judge(app, post({ words: ['a'] }))).toMatchObject({ outcome: 'pending', unasked: ['identify'] })
    expect(await judge(app, post({ words: ['a'] }), { who: 'ada' })).toMatchObject({ outcome: 'accepted' })
    const endless = intake({
      endpoints: { note },
      limits: { handle: '50ms' },
      journal: { write: () => undefined },
      identify: ({ signal }) =>
        new Promise((_, reject) => signal.addEventListener('abort', () => reject(signal.reason))),
    })
    expect(await judge(endless, post({ words: ['a'] }), { services: {} })).toMatchObject({
      status: 503,
      stage: 'identify',
      headers: { 'retry-after': '5' },
    })
  })
  test.each([
    ['undefined is no caller', { identify: () => undefined }, {}, 401, 'header.authorization not_known', 'Bearer'],
    ['nor is null', { identify: async () => null }, {}, 401, 'header.authorization not_known', 'Bearer'],
    ['nor is false', { identify: () => false }, {}, 401, 'header.authorization not_known', 'Bearer'],
    ['zero is a caller', { identify: () => 0 }, {}, 200, '', null],
    ['an open endpoint takes everybody', { identify: () => undefined }, { open: true }, 200, '', null],
    ['an open intake as well', { identify: () => null, open: true }, {}, 200, '', null],
    [
      'but a refusal refuses there',
      { identify: () => refuse({ status: 403, code: 'barred', message: 'is barred' }) },
      { open: true },
      403,
      'header.authorization barred',
      null,
    ],
    [
      'a refusal may be thrown',
      {
        identify: async () => {
          throw refuse({ status: 401, code: 'odd', message: 'is odd' })
        },
      },
      {},
      401,
      'header.authorization odd',
      'Bearer',
    ],
    [
      'the challenge says how',
      { identify: () => undefined, challenge: { header: 'x-key', scheme: 'Key realm="kr"' } },
      {},
      401,
      'header.x-key not_known',
      'Key realm="kr"',
    ],
    [
      'what is asked for is known',
      {
        identify: ({ endpoint: name, template, tags }: Head) =>
          refuse({ status: 403, code: `${name} ${template} ${tags}`, message: 'is told' }),
      },
      { tags: ['a', 'b'] },
      403,
      'header.authorization get /x a,b',
      null,
    ],
    [
      'the status can be changed',
      { identify: () => undefined, statuses: { notKnown: 404 } },
      {},
      404,
      'header.authorization not_known',
      'Bearer',
    ],
  ])('who asks: %s', async (_, more, own, status, error, challenge) => {
    const app = intake({ endpoints: { get: endpoint('GET /x', own as object) }, ...(more as object) })
    const response = await serve(app, { get: () => ({}) })(new Request('http://kr.example/x'))
    const { fields = {} } = (await response.json()) as { fields?: { [address: string]: { code: string }[] } }
    expect([response.status, response.headers.get('www-authenticate')]).toEqual([status, challenge])
    expect(Object.entries(fields).map(([address, [one]]) => `${address} ${one?.code}`)).toEqual(
      error === '' ? [] : [error],
    )
    const verdict = await judge(app, 'GET /x HTTP/1.1', { services: {} })
    expect(verdict.outcome === 'rejected' ? verdict.status : 200).toBe(status)
  })
  test('who is given is admitted as who was found', async () => {
    const app = intake({ endpoints: { get: endpoint('GET /x', {}) }, identify: () => 'nobody' })
    expect(await judge(app, 'GET /x HTTP/1.1', { who: null })).toMatchObject({ status: 401 })
    expect(() =>
      endpoint('GET /x', { lookups: (on) => ({ identify: on.lookup({ reads: [], ask: () => 1 }) }) }),
    ).toThrow('that name is reserved for the caller')
  })
  test('a refusal says when to try again, from a handler and from a lookup', async () => {
    const busy = () => refuse({ status: 503, code: 'closed', message: 'is closed', retryAfter: '90s' })
    for (const [ask, handler] of [
      [busy, () => 1],
      [() => 1, busy],
    ] as const) {
      const put = endpoint('POST /', {
        body: list(integer()),
        lookups: (on) => ({ all: on.lookup({ reads: ['body'], ask: ask as never }) }),
      })
      const response = await serve(intake({ endpoints: { put } }), { put: handler })(post([1], {}, '/'))
      expect([response.status, response.headers.get('retry-after')]).toEqual([503, '90'])
    }
  })
  test.each<[string, (on: never) => unknown]>([
    ['check', (on) => (on as Loose).check?.({ reads: ['body.n'], code: 'x', holds: () => Promise.resolve(false) })],
    ['find', (on) => (on as Loose).find?.({ reads: ['body.n'], code: 'x', finds: () => Promise.resolve([]) })],
    ['fill', (on) => (on as Loose).fill?.('body.m', ['body.n'], () => Promise.resolve(1))],
    ['readAs', () => []],
  ])('a promise where a value is due is a failure that says so: %s', async (name, made) => {
    for (const engine of ['compiled', 'interpreted'] as const) {
      const events: JournalEvent[] = []
      const n = name === 'readAs' ? readAs(integer(), (() => Promise.resolve(1)) as never, { code: 'x' }) : integer()
      const put = endpoint('POST /', {
        body: record({ n, m: anything({ optional: true }) }),
        rules: ((on: never) => [made(on)].flat()) as never,
      })
      const app = intake({ engine, endpoints: { put }, journal: { write: (event) => void events.push(event) } })
      expect((await serve(app, { put: () => 1 })(post({ n: 1 }, {}, '/'))).status).toBe(500)
      expect(String(events[0]?.cause)).toContain('gave a promise, which is not awaited')
    }
  })
  test('judge says what body it takes', async () => {
    const told = judge(intake({ endpoints: { note } }), {
      method: 'POST',
      target: '/',
      headers: {},
      body: { a: 1 } as never,
    })
    await expect(told).rejects.toThrow('the body is an object; give judge a text, bytes, a stream or null')
  })
  test('a refusal is one wherever it is made: returned or thrown, by a lookup or a handler', async () => {
    const refusal = [
      { status: 409, code: 'gone', message: 'is gone', at: 'body[1]' },
      { status: 409, code: 'gone', message: 'is gone', at: 'body[2]' },
    ] as const
    const thrown = () => {
      throw refuse(refusal)
    }
    const events: JournalEvent[] = []
    const asking = (ask: () => unknown, handler: () => unknown) =>
      serve(
        intake({
          endpoints: {
            post: endpoint('POST /', {
              body: list(integer()),
              lookups: (on) => ({ all: on.lookup({ reads: ['body'], ask }) }),
            }),
          },
          journal: { write: (event) => void events.push(event) },
        }),
        { post: handler },
      )(post([1, 2, 3], {}, '/'))
    const made: [() => unknown, () => unknown][] = [
      [() => refuse(refusal), () => 1],
      [thrown, () => 1],
      [async () => thrown(), () => 1],
      [() => 1, () => refuse(refusal)],
      [() => 1, thrown],
      [() => 1, async () => thrown()],
    ]
    for (const [ask, handler] of made) {
      const response = await asking(ask, handler)
      const { fields } = (await response.json()) as { fields: object }
      expect([response.status, Object.keys(fields)]).toEqual([409, ['body[1]', 'body[2]']])
    }
    expect(events.map(({ outcome }) => outcome)).toEqual(made.map(() => 'rejected'))
  })
  test.each<[string, object, object, object, string]>([
    ['of a code', { statuses: { codes: { repeated: 409 } } }, {}, { l: [1, 1], n: 1 }, '409'],
    [
      'of a code, the nearer first',
      { statuses: { codes: { repeated: 409 } } },
      { statuses: { codes: { repeated: 410 } } },
      { l: [1, 1], n: 1 },
      '410',
    ],
    ['of a kind of failure', { statuses: { body: 418, codes: { missing: 409 } } }, {}, { l: [1, 1], n: 1 }, '418'],
    ['of a rule', {}, {}, { l: [5], n: 4 }, '409'],
    ['of a shape before a rule', {}, {}, { l: ['x'], n: 4 }, '422'],
    ['of the first in the order of the parts', { statuses: { query: 404 } }, {}, { l: [1, 1], n: 'x', q: 'x' }, '404'],
  ])('the status %s', async (_, shared, own, { q, ...body }: { q?: string }, status) => {
    const one = endpoint('POST /', {
      query: { q: integer({ optional: true }) },
      body: record({ l: list(integer(), { distinct: true }), n: integer() }),
      rules: (on) => [on.check({ reads: ['body.n'], code: 'four', status: 409, holds: (n) => n !== 4 })],
      ...own,
    })
    const verdict = await judge(intake({ endpoints: { one }, ...shared }), post(body, {}, q ? `/?q=${q}` : '/'))
    expect(String(verdict.outcome === 'rejected' && verdict.status)).toBe(status)
  })
  const codes = {
    too_large: 420,
    wrong_media_type: 424,
    too_many: 425,
    not_known: 404,
    not_found: 410,
    bad_syntax: 418,
    not_constant: 409,
  }
  test.each<[string, string, { [name: string]: string }, string | null, number]>([
    ['too large', '/a', {}, `{"a":"${'x'.repeat(60)}"}`, 420],
    ['of another type', '/a', { 'content-type': 'text/css' }, 'x', 424],
    ['with too many values', '/a?q=1&q=2&q=3', {}, '{"a":"b"}', 425],
    ['from an unknown client', '/b', {}, '{"a":"b"}', 404],
    ['that a lookup does not find', '/a', {}, '{"a":"b"}', 410],
    ['that cannot be read', '/a', {}, '{"a":', 418],
    [
      'with a transfer coding, which is a failure of ours',
      '/a',
      { 'transfer-encoding': 'x, chunked' },
      '{"a":"b"}',
      501,
    ],
  ])('a code gives its status to a request %s', async (_, target, headers, body, status) => {
    const declared = { query: { q: list(text(), { optional: true }) }, body: record({ a: text() }) }
    const a = endpoint('POST /a', {
      ...declared,
      open: true,
      limits: { body: '50B', queryValues: 2 },
      lookups: (on) => ({
        one: on.lookup({ reads: ['body.a'], ask: async (_: object, __): Promise<string | undefined> => undefined }),
      }),
    })
    const b = endpoint('POST /b', declared)
    const app = intake({ endpoints: { a, b }, statuses: { codes }, identify: () => undefined })
    const sent = { method: 'POST', target, headers: { 'content-type': 'application/json', ...headers }, body }
    expect(await judge(app, sent, { services: {} })).toMatchObject({ outcome: 'rejected', status })
    const demanded = Object.keys(codes).map((code) => demandsOf(app).find((one) => one.code === code)?.status)
    expect(demanded).toEqual([420, 424, 425, 404, 410, 418, undefined])
  })
  test.each([
    ['a failure of ours as a client’s', { statuses: { failure: 400 } }, /failure is 400. Give it a status from 500/],
    ['a client’s as ours', { statuses: { body: 500 } }, /body is 500. Give it a status from 400/],
    ['a success', { statuses: { codes: { repeated: 200 } } }, /repeated is 200/],
    ['what there is not', { statuses: { bodies: 400 } }, /there is no failure bodies/],
  ])('%s is refused', (_, more, words) => {
    expect(() => endpoint('GET /', more as never)).toThrow(words)
    expect(() => intake({ endpoints: {}, ...(more as object) })).toThrow(words)
  })
  test('a path that nothing takes is told so under whatever status, and not echoed', async () => {
    const response = await serve(
      intake({ endpoints: {}, statuses: { unmatched: 400 } }),
      {},
    )(new Request('http://kr.example/hidden'))
    const { status, detail } = (await response.json()) as { status: number; detail: string }
    expect([status, detail]).toEqual([400, 'There is no endpoint for this method and path.'])
  })
  test('a handler gives a status and header fields of its own, and the clock is given', async () => {
    const { make, late } = {
      make: endpoint('POST /notes', { success: 201 }),
      late: endpoint('GET /', { query: { at: instant({ from: '+1h' }) } }),
    }
    const now = new Date('2031-01-01T00:00:00Z')
    const handle = serve(
      intake({ endpoints: { make, late } }),
      {
        make: () => give({ id: 7n }, { headers: { Location: '/notes/7', ETag: '"a"' } }),
        late: ({ query }) => give(query.at > now ? undefined : 'past', { status: 202 }),
      },
      { now: () => now },
    )
    const made = await handle(new Request('http://kr.example/notes', { method: 'POST' }))
    expect([made.status, made.headers.get('location'), made.headers.get('etag'), await made.json()]).toEqual([
      201,
      '/notes/7',
      '"a"',
      { id: '7' },
    ])
    const at = (text: string) => handle(new Request(`http://kr.example/?at=${text}`))
    expect([(await at('2031-01-01T02:00:00Z')).status, (await at('2031-01-01T00:30:00Z')).status]).toEqual([202, 400])
    expect(() => give(1, { status: 404 })).toThrow('refuse() takes the rest')
  })
  test('a language without a word takes the word of the default language, and a message may be the name of one', async () => {
    const get = endpoint('GET /{id}', {
      path: { id: text() },
      rules: (on) => [on.check({ reads: ['path.id'], code: 'own_code', holds: (id) => id !== 'x' })],
    })
    const app = intake({
      endpoints: { get },
      languages: { en: { own_code: 'is odd', sold_out: 'is sold out' }, de: { sold_out: 'ist ausverkauft' } },
    })
    const handle = serve(app, { get: () => refuse({ status: 409, code: 'gone', message: 'sold_out', at: 'path.id' }) })
    const told = async (id: string, language: string) => {
      const response = await handle(
        new Request(`http://kr.example/${id}`, { headers: { 'accept-language': language } }),
      )
      return [((await response.json()) as { detail: string }).detail, response.headers.get('content-language')]
    }
    expect(await told('x', 'de')).toEqual(['path.id is odd', 'de, en'])
    expect(await told('y', 'de')).toEqual(['path.id ist ausverkauft', 'de'])
    expect(await told('y', 'en')).toEqual(['path.id is sold out', 'en'])
    expect(await told('x', 'fr')).toEqual(['path.id is odd', 'en'])
  })
  const boom = () => {
    throw new Error('boom')
  }
  test.each<[string, object, string]>([
    ['a check', { rules: (on: Loose) => [on.check?.({ reads: ['body.a'], code: 'x', holds: boom })] }, 'rules'],
    ['a search', { rules: (on: Loose) => [on.find?.({ reads: ['body.a'], code: 'x', finds: boom })] }, 'rules'],
    ['a fill', { rules: (on: Loose) => [on.fill?.('body.b', ['body.a'], boom)] }, 'rules'],
    ['a default', { body: record({ a: integer(), b: text({ default: boom }) }) }, 'shape'],
    [
      'a fill that does not fit',
      { lookups: (on: Loose) => ({ l: on.lookup?.({ reads: ['body.a'], ask: () => 5, fill: 'body.b' }) }) },
      'lookups',
    ],
  ])('%s that throws is a failure, journalled with all that repeats it', async (_, more, stage) => {
    const events: JournalEvent[] = []
    const app = intake({
      endpoints: { post: endpoint('POST /', { body: record({ a: integer(), b: text({ optional: true }) }), ...more }) },
      journal: { write: (event) => void events.push(event) },
    })
    expect(await judge(app, post({ a: 1 }, {}, '/'), { services: {} })).toMatchObject({
      status: 500,
      stage,
      errors: [],
    })
    expect(events).toMatchObject([{ endpoint: 'post', stage, outcome: 'failed' }])
    expect(await judge(app, events[0]?.input ?? '', { services: {} })).toMatchObject({ status: 500, stage })
  })
  test('files are there until the handler is done, and gone then', async () => {
    // Others of this process go when they are not held any more.
    const uploads = uploadsFromNow()
    const left = () => uploads().length
    const form = endpoint('POST /plates', {
      body: { 'multipart/form-data': record({ plate: file({ bytes: 200_000, types: ['image/*'] }), title: text() }) },
    })
    let during = 0
    const handle = serve(intake({ endpoints: { form } }), {
      form: async ({ body: { plate } }) => {
        during = left()
        const streamed = await new Response(plate.stream()).text()
        return {
          name: plate.name,
          bytes: plate.bytes,
          same: streamed === Buffer.from(await plate.bytesNow()).toString(),
          length: streamed.length,
        }
      },
    })
    const send = (type: string, length = 150_000) => {
      const body = new FormData()
      body.append('title', 'a')
      body.append('plate', new File(['x'.repeat(length)], '../m 42.png', { type }))
      return handle(new Request('http://kr.example/plates', { method: 'POST', body }))
    }
    expect(await (await send('image/png')).json()).toEqual({
      name: 'm 42.png',
      bytes: 150_000,
      same: true,
      length: 150_000,
    })
    expect([during, left()]).toEqual([1, 0])
    expect([(await send('text/plain')).status, (await send('image/png', 201_000)).status, left()]).toEqual([
      422, 413, 0,
    ])
  })
  const sizes = endpoint('POST /', {
    body: {
      'multipart/form-data': record({
        a: text({ optional: true }),
        f: file({ bytes: '10kB', optional: true }),
        all: list(file({ bytes: 20 }), { optional: true }),
      }),
      'image/png': file({ bytes: '10kB' }),
    },
    limits: { body: 1000 },
  })
  const sizing = serve(intake({ endpoints: { sizes } }), { sizes: () => 1 })
  const plate = (length: number) => new File(['x'.repeat(length)], 'f')
  test.each<[string, [string, string | File][], string]>([
    ['a file a little too large', [['f', plate(10_100)]], '413 body.f must be at most 10kB'],
    ['a file much too large', [['f', plate(60_000)]], '413 body.f must be at most 10kB'],
    [
      'one of several',
      [
        ['all', plate(3)],
        ['all', plate(21)],
      ],
      '413 body.all[1] must be at most 20 bytes',
    ],
    ['a text', [['a', 'x'.repeat(3000)]], '413 body must be at most 1000 bytes'],
    [
      'what fits',
      [
        ['a', 'x'],
        ['f', plate(10_000)],
      ],
      '200 ',
    ],
  ])('%s in a form is told where it is, with its own limit, however it comes', async (_, entries, told) => {
    const body = new FormData()
    for (const [name, value] of entries) body.append(name, value)
    const whole = new Request('http://kr.example/', { method: 'POST', body })
    const headers = { 'content-type': whole.headers.get('content-type') as string }
    const bytes = new Uint8Array(await whole.arrayBuffer())
    const { port, close } = await listen(sizing)
    for (const sent of [bytes, new Blob([bytes]).stream()]) {
      const response = await fetch(`http://127.0.0.1:${port}/`, {
        method: 'POST',
        body: sent,
        headers,
        duplex: 'half',
      } as never)
      const { detail = '' } = (await response.json()) as { detail?: string }
      expect(`${response.status} ${detail}`).toBe(told)
    }
    await close()
  })
})

/**
 * The same service behind whatever framework: what is accepted comes to the handler, typed, and the rest is answered.
 */
const app = intake({ base: '/api', endpoints: { note, read } })
const shown = (request: IncomingMessage) =>
  request.method === 'OPTIONS'
    ? 'passed'
    : request.method === 'POST'
      ? inputOf(note, request).body.words.length
      : inputOf(read, request).path.id
const end = (response: ServerResponse, value: unknown) => response.end(JSON.stringify(value))
const events: JournalEvent[] = []
const journalled = intake({
  base: '/api',
  endpoints: { note, read },
  journal: { write: (event) => void events.push(event) },
})
const consume = (request: IncomingMessage, _: ServerResponse, next: () => void) => request.resume().on('end', next)

const frameworks: [string, () => RequestListener][] = [
  [
    'node:http, with serve',
    () => listenerOf(serve(app, { note: ({ body }) => body.words.length, read: ({ path }) => path.id })),
  ],
  [
    'node:http, with a gate',
    () => (request, response) =>
      gate(app, { unmatched: 'answer' })(request, response, () => end(response, shown(request))),
  ],
  [
    'connect, the whole group',
    () =>
      connect()
        .use(gate(app, { unmatched: 'answer' }))
        .use((request, response) => end(response, shown(request))),
  ],
  [
    'connect, under a mount',
    () =>
      connect()
        .use('/api', gate(intake({ endpoints: { note, read } }), { unmatched: 'answer' }))
        .use('/api', (request: IncomingMessage, response: ServerResponse) => end(response, shown(request))),
  ],
  [
    'express, one route each, behind its parser',
    () => {
      const server = express()
      server.use(express.json({ type: () => true, strict: false }))
      server.post('/api/notes/:id', gate(note), (request, response) => void response.json(shown(request)))
      server.get('/api/notes/:id', gate(app), (request, response) => void response.json(shown(request)))
      server.use(gate(app, { unmatched: 'answer' }))
      return server
    },
  ],
  [
    'express, under a mount',
    () =>
      express()
        .use('/api', express.Router().use(gate(app, { unmatched: 'answer' })))
        .use((request, response) => void response.json(shown(request))),
  ],
  [
    'koa',
    () => {
      const koa = new Koa()
      koa.use(koaGate(app, { unmatched: 'answer' }))
      koa.use((context) => {
        context.body = JSON.stringify(shown(context.req))
      })
      return koa.callback()
    },
  ],
]
describe.each(frameworks)('behind %s', (name, make) => {
  test('requests are let in, or answered with every error', async () => {
    const base = await started(make())
    const sent = async (target: string, body?: string, type = 'application/json') => {
      const response = await fetch(
        base + target,
        body === undefined ? {} : { method: 'POST', body, headers: { 'content-type': type } },
      )
      const told = (await response.json().catch(() => undefined)) as { fields?: object } | undefined
      return [response.status, told?.fields ? Object.keys(told.fields) : told]
    }
    const parsed = name.includes('parser')
    expect(await sent('/api/notes/7')).toEqual([200, 7])
    expect(await sent('/api/notes/1', '{"words":["a","b"]}')).toEqual([200, 2])
    expect(await sent('/api/notes/x')).toEqual([400, ['path.id']])
    expect(await sent('/api/notes/0?tag=long', '{"words":["",1]}')).toEqual([
      400,
      ['path.id', 'query.tag', 'body.words[0]', 'body.words[1]'],
    ])
    if (!parsed) {
      expect(await sent('/api/notes/1', '{"words":')).toEqual([400, ['body']])
      expect(await sent('/api/notes/1', '{}', 'text/plain')).toEqual([415, ['header.content-type']])
    }
    expect((await sent('/api/nothing'))[0]).toBe(404)
    const preflight = await fetch(`${base}/api/notes/1`, {
      method: 'OPTIONS',
      headers: { origin: 'https://x.example', 'access-control-request-method': 'POST' },
    })
    if (name.includes('serve'))
      expect([preflight.status, preflight.headers.get('allow')]).toEqual([204, 'GET, HEAD, OPTIONS, POST'])
    else expect(preflight.headers.get('access-control-allow-origin')).toBeNull()
  })
})

test('a gate says when it stands behind what has eaten the body, and what is not gated is not typed', async () => {
  const base = await started(
    connect()
      .use(consume)
      .use(gate(journalled))
      .use((request, response) => {
        expect(() => inputOf(note, request)).toThrow('did not come through a gate of POST /notes/{id}')
        end(response, 'through')
      }),
  )
  const response = await fetch(`${base}/api/notes/1`, {
    method: 'POST',
    body: '{"words":["a"]}',
    headers: { 'content-type': 'application/json' },
  })
  expect([response.status, Object.keys((await response.json()) as object)]).toEqual([
    500,
    ['type', 'title', 'status', 'detail', 'instance'],
  ])
  expect(String(events.at(-1)?.cause)).toContain('put Yosei before what reads the stream')
  expect(await (await fetch(`${base}/api/elsewhere`)).json()).toBe('through')
})

describe('over connections that fail', () => {
  test('the signal fires when the client goes', async () => {
    const app = intake({ endpoints: { read } })
    let gone: unknown
    const { port, close } = await listen(
      serve(app, {
        read: (_, { signal }) =>
          new Promise<void>((resolve) =>
            signal.addEventListener('abort', () => {
              gone = signal.reason
              resolve()
            }),
          ),
      }),
    )
    const socket = connectTo(port, '127.0.0.1')
    socket.write('GET /notes/1 HTTP/1.1\r\nHost: x\r\n\r\n')
    await sleep(100)
    socket.destroy()
    await sleep(100)
    expect(String(gone)).toContain('The client has gone')
    await close()
  })
  test('a test that stops its clocks is answered all the same', async () => {
    const { port, close } = await listen(serve(intake({ endpoints: { read, note } }), { read: () => 1, note: () => 2 }))
    jest.useFakeTimers()
    try {
      const socket = connectTo(port, '127.0.0.1')
      const head = 'Host: x\r\nContent-Type: application/json\r\nConnection: close\r\n'
      socket.write(
        `GET /notes/1 HTTP/1.1\r\nHost: x\r\n\r\nPOST /notes/1 HTTP/1.1\r\n${head}Content-Length: 2\r\n\r\n{}`,
      )
      let came = ''
      for await (const chunk of socket) came += chunk
      expect(came.match(/(?<=HTTP.1.1 )\d+/g)).toEqual(['200', '422'])
    } finally {
      jest.useRealTimers()
    }
    await close()
  })
  test('any fetch handler can stand behind the listener, and fails for its own request alone', async () => {
    const told = jest.spyOn(console, 'error').mockImplementation(() => undefined)
    let gone = 0
    const url = await started(
      listenerOf(async (request) => {
        const body = await request.text().catch((error) => {
          gone++
          throw error
        })
        if (body === 'break') throw new Error('inside')
        return new Response(`${request.method} ${new URL(request.url).pathname} ${body}`)
      }),
    )
    const send = (raw: string, length?: number) =>
      new Promise<string>((resolve) => {
        const socket = connectTo(Number(new URL(url).port), '127.0.0.1', () => socket.write(raw))
        let came = ''
        socket.on('data', (chunk) => {
          came += chunk
        })
        socket.on('close', () => resolve(came.replace(/^HTTP.1.1 (\d+).*?\r\n\r\n/s, '$1 ')))
        if (length !== undefined) setTimeout(() => socket.destroy(), length)
      })
    const message = (line: string, body: string, host = 'x') =>
      `${line} HTTP/1.1\r\nHost: ${host}\r\nConnection: close\r\nContent-Length: ${body.length}\r\n\r\n${body}`
    expect(await (await fetch(`${url}/a?b`, { method: 'POST', body: 'words' })).text()).toBe('POST /a words')
    expect(await send(message('POST //a', 'words', 'no host'))).toContain('POST //a words')
    expect(await send(message('TRACE /a', ''))).toMatch(/^400 /)
    expect(told).not.toHaveBeenCalled()
    expect(await send(message('POST /a', 'break'))).toMatch(/^500 /)
    expect(told).toHaveBeenCalledWith(new Error('inside'))
    expect(await send(message('POST /a', 'half').slice(0, -2), 50)).toBe('')
    for (let i = 0; i < 40 && gone === 0; i++) await sleep(50)
    expect([gone, told.mock.calls.length]).toEqual([1, 1])
    told.mockRestore()
  })
  test('a large answer goes out no faster than the client takes it', async () => {
    const app = intake({ endpoints: { read } })
    let made = 0
    const stream = () =>
      new ReadableStream({
        pull(controller) {
          made++
          if (made > 2000) controller.close()
          else controller.enqueue(new Uint8Array(65_536))
        },
      })
    const { port, close } = await listen(serve(app, { read: () => new Response(stream()) }))
    const socket = connectTo(port, '127.0.0.1')
    socket.write('GET /notes/1 HTTP/1.1\r\nHost: x\r\n\r\n')
    socket.pause()
    await sleep(300)
    expect(made).toBeLessThan(1000)
    socket.destroy()
    await close()
  })
  test('200 bodies that never end are answered in time, and leave nothing behind', async () => {
    const app = intake({ endpoints: { note }, limits: { receive: '500ms' }, journal: { write: () => undefined } })
    const { port, server, close } = await listen(serve(app, { note: () => 1 }))
    const half = 'POST /notes/1 HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nContent-Length: 900000\r\n\r\n'
    const run = async () => {
      const answers = await Promise.all(
        Array.from({ length: 200 }, async (_, number) => {
          const socket: Socket = connectTo(port, '127.0.0.1')
          let came = ''
          socket.on('data', (chunk) => {
            came += chunk
          })
          // One in four does not even end its head.
          socket.write(number % 4 === 0 ? half.slice(0, 60) : half + 'x'.repeat(100_000))
          socket.on('error', () => undefined)
          await once(socket, 'close')
          return came.slice(9, 12)
        }),
      )
      return [...new Set(answers)]
    }
    setFlagsFromString('--expose-gc')
    const memory = () => {
      runInNewContext('gc')()
      const { heapUsed, external } = process.memoryUsage()
      return heapUsed + external
    }
    const count = () => new Promise<number>((resolve) => server.getConnections((_, count) => resolve(count)))
    const isBack = async (look: () => number | Promise<number>, most: number) => {
      for (let i = 0; i < 100 && (await look()) > most; i++) await sleep(50)
      return (await look()) <= most
    }
    await run()
    await isBack(count, 0)
    await sleep(200)
    const before = memory()
    for (let i = 0; i < 3; i++) expect(await run()).toEqual(['408'])
    expect(await isBack(count, 0)).toBe(true)
    expect(await isBack(memory, before + 2e6)).toBe(true)
    await close()
  })
})

test('verdicts, contexts and mistakes are plain objects, which keep what they have when they are copied', async () => {
  const app = intake({ endpoints: { note, read } })
  const verdict = await judge(app, post(bad))
  if (verdict.outcome !== 'rejected') throw new Error('accepted')
  const german = new Request('http://kr.example', { headers: { 'accept-language': 'de' } })
  const { instance: _, ...whole } = (await answer(verdict, german).json()) as { instance: string; detail: string }
  expect(whole.detail).toContain('muss mindestens 1 Zeichen haben')
  expect(await answer({ ...verdict }, german).json()).toMatchObject(whole)
  // What came as data has words already.
  const { detail, fields } = (await answer(JSON.parse(JSON.stringify(verdict)), german).json()) as {
    detail: string
    fields: object
  }
  expect([detail, Object.keys(fields)]).toEqual([
    'body.words[0] must have at least 1 character; "" was sent, und 2 weitere Fehler',
    ['body.words[0]', 'body.words[1]', 'body.secret'],
  ])
  const handle = serve(
    app,
    {
      note: () => 1,
      read: (_, context) => Object.keys({ ...context, request: 0 }).concat(String({ ...context }.signal.aborted)),
    },
    { services: {} },
  )
  expect(await (await handle(new Request('http://kr.example/notes/1'))).json()).toEqual([
    'services',
    'who',
    'bytes',
    'found',
    'turn',
    'pieces',
    'id',
    'requestId',
    'language',
    'signal',
    'request',
    'false',
  ])
  let mistaken: unknown
  try {
    endpoint('POST /x', { body: record({ a: text({ length: [3, 1] }) }) })
  } catch (error) {
    mistaken = error
  }
  expect({ ...(mistaken as object) }).toMatchObject({
    name: 'DeclarationError',
    where: 'POST /x',
    address: 'body.a',
    mend: 'Swap or correct them',
  })
  expect(() => endpoint('POST /x', { body: text({ pattern: /(a+)+$/ }) })).toThrow(
    expect.objectContaining({ address: 'body', option: 'pattern' }),
  )
})

test('what was declared cannot be changed afterwards', () => {
  const length: [number, number] = [1, 2]
  const limits = { errors: 1 }
  const declared = endpoint('POST /x', {
    body: record({ a: text({ length }), b: instant({ optional: true, until: new Date(0) }) }),
    limits,
    statuses: { body: 400 },
  })
  length[1] = 99
  limits.errors = 99
  expect(judgeParts(declared, { body: { a: 'abc', c: 1 } })).toMatchObject({
    status: 400,
    more: 1,
    errors: [{ code: 'too_long' }],
  })
  const look = (value: unknown, seen = new Set<unknown>()): void => {
    if (
      typeof value !== 'object' ||
      value === null ||
      seen.has(value) ||
      value instanceof Date ||
      value instanceof RegExp
    )
      return
    seen.add(value)
    expect(Object.isFrozen(value)).toBe(true)
    for (const one of Object.values(value)) look(one, seen)
  }
  look(declared)
  look(group({ prefix: '/a', limits: { body: 5 } }, { declared }))
})

test('a platform with the interfaces of the web has the same limits for forms', () => {
  const program = `import { endpoint, file, intake, judge, record, text } from 'yosei'
const form = endpoint('POST /', { body: { 'multipart/form-data': record({ a: text(), f: file({ bytes: 10, optional: true }) }) }, limits: { body: 100 } })
const app = intake({ endpoints: { form } })
const send = (entries) => { const body = new FormData(); for (const [name, value] of entries) body.append(name, value); return judge(app, new Request('http://kr.example/', { method: 'POST', body })) }
const many = Array.from({ length: 1200 }, () => ['a', ''])
for (const entries of [[['a', 'x']], [['a', 'x'.repeat(300)]], [['a', 'x'], ['f', new File(['x'.repeat(11)], 'f')]], [['a', 'x'.repeat(5000)]], many]) {
  const { outcome, status, errors = [] } = await send(entries)
  console.log(outcome, status, ...errors.map(({ address, code }) => address + ' ' + code))
}`
  const run = (...flags: string[]) =>
    spawnSync(process.execPath, [...flags, '--input-type=module', '-e', program], { encoding: 'utf8' })
      .stdout.trim()
      .split('\n')
  expect(run()).toEqual([
    'accepted undefined',
    'rejected 413 body too_large',
    'rejected 413 body.f too_large',
    'rejected 413 body too_large',
    'rejected 413 body too_large',
  ])
  expect(run('--conditions=browser')).toEqual(run())
})
