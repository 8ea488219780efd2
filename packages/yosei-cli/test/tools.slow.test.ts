/** What the commands say of rules that are hard to meet, of envelopes, of secrets, and of what is left unsaid. */
import { createHmac } from 'node:crypto'
import { once } from 'node:events'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { buffer } from 'node:stream/consumers'
import { expect, test } from '@jest/globals'
import { endpoint, intake, integer, list, record, serve, text } from 'yosei'
import { listen } from 'yosei/node'
import { Folder, http, verdict, yoseiBeside, yoseiWith } from './run.ts'

const from = (names: string) => `import { ${names} } from 'yosei'\n`
const orders = `${from('choice, constant, endpoint, integer, intake, list, record, text')}
const body = record({ country: choice(['NL', 'AT']), email: text({ format: 'email', tidy: ['lower'] }), code: text({ length: [1, 12] }), lines: list(record({ sku: text({ pattern: /^[A-Z]{3}-\\d{4}$/ }), count: integer({ min: 1 }) }), { length: [1, 3] }) })
export default intake({ endpoints: {
  fitted: endpoint('POST /fitted', { body, rules: (on) => [on.fits('body.email', text({ pattern: /@nebula\\.example$/ }))] }),
  own: endpoint('POST /own', { body, rules: (on) => [on.check({ reads: ['body.code'], code: 'odd', holds: (code) => /^Q\\d{4}$/.test(code) })] }),
  one: endpoint('POST /one', { body: record({ a: text({ optional: true }), b: text({ optional: true }) }), rules: (on) => [on.exactlyOne('body.a', 'body.b')] }),
  long: endpoint('GET /long/{id}', { path: { id: text({ length: [1, 900] }) }, limits: { uri: '500B' } }),
} })
`

test('probe breaks what it can, though no request meets all rules, and says when it tried nothing', () => {
  const folder = new Folder({ 'intake.ts': orders })
  for (const [name, least] of [
    ['fitted', 30],
    ['own', 30],
    ['long', 2],
  ] as const) {
    const { status, stdout } = folder.yosei(['probe', 'intake.ts', name])
    expect([name, status]).toEqual([name, 0])
    expect(stdout).toMatch(/all as they must be/)
    expect(Number(/(\d+) rejected/.exec(stdout)?.[1])).toBeGreaterThanOrEqual(least)
  }
  const none = `${from('intake')}export default intake({ endpoints: {} })`
  folder.write('none.ts', none)
  const nothing = folder.yosei(['probe', 'none.ts'])
  expect([nothing.status, nothing.stdout]).toEqual([1, expect.stringContaining('nothing was tried')])
  folder.remove()
})

test('probe asks stand-in services', () => {
  const asking = `${from('endpoint, intake, text')}
export default intake({ endpoints: { get: endpoint('GET /things/{id}', { path: { id: text({ length: [1, 9] }) }, lookups: (on) => ({ thing: on.lookup({ reads: ['path.id'], ask: ({ find }: { find: (id: string) => unknown }, [id]) => find(id) }) }) }) } })`
  const files = { 'intake.ts': asking, 'services.ts': 'export default () => ({ find: () => undefined })' }
  expect(yoseiWith(files, ['probe', 'intake.ts']).status).toBe(0)
  const { status, stdout } = yoseiWith(files, ['probe', 'intake.ts', '--services', 'services.ts'])
  expect([status, stdout]).toEqual([1, expect.stringContaining('must be accepted, but came 422: path.id not_found')])
})

test('show says what a field must fit, and what exactly one means; it knows the intake of the package', () => {
  const folder = new Folder({ 'intake.ts': orders, 'package.json': '{ "yosei": { "intake": "intake.ts" } }' })
  const { status, stdout, stderr } = folder.yosei(['show', 'fitted'])
  expect([status, stderr]).toEqual([0, 'from package.json: intake intake.ts\n'])
  expect(stdout).toMatch(/body\.email must also be valid for a second field\n {4}it +text +required +pattern @nebula/)
  expect(folder.yosei(['show', 'intake.ts', 'one']).stdout).toContain('body needs exactly one of body.a, body.b')
  expect(folder.yosei(['try', 'POST', '/own', '--with', 'body.code=1012']).stdout).toContain('"code": "1012"')
  expect(folder.yosei(['show', 'nothing']).stderr).toMatch(/no endpoint nothing|nothing/)
  folder.remove()
})

test('try sends a text to a text, and says what was tidied', () => {
  const run = (...more: string[]) =>
    yoseiWith({ 'intake.ts': orders }, ['try', 'intake.ts', 'POST', '/own', '--trace', ...more])
  const { stdout } = run(
    '--with',
    'body.code=1012',
    '--with',
    'body.lines[0].count=7',
    '--with',
    'body.email=A@B.example',
  )
  expect(stdout).toMatch(/"code": "1012"/)
  expect(stdout).toMatch(/"count": 7/)
  expect(stdout).toMatch(/body\.email.*tidied/)
  expect(run('--with', 'body.lines[0].count=x').stdout).toMatch(/"count": "x"/)
})

test('send reads the errors of an envelope, and says when it cannot', async () => {
  const envelope = {
    write: ({ errors }: { errors: readonly { address: string; code: string }[] }) => ({
      body: { wrong: errors.map(({ address, code }) => `${address} ${code}`) },
    }),
    read: (body: unknown) =>
      (body as { wrong?: string[] }).wrong?.map((one) => {
        const [address = '', code = ''] = one.split(' ')
        return { address, code }
      }),
  }
  const put = endpoint('PUT /', { body: record({ n: integer(), all: list(text()) }) })
  const { port, close } = await listen(serve(intake({ endpoints: { put }, envelope }), { put: () => 1 }))
  const module = `${from('endpoint, integer, intake, list, record, text')}
export default intake({ envelope: { write: (r) => ({ body: r }), read: (body) => body.wrong.map((one) => { const [address, code] = one.split(' '); return { address, code } }) }, endpoints: { put: endpoint('PUT /', { body: record({ n: integer(), all: list(text()) }) }) } })`
  const request = http('PUT / HTTP/1.1\nContent-Type: application/json\n\n{"n":"x","all":[]}')
  const folder = new Folder({
    'intake.ts': module,
    'right.md': request + verdict('422\nbody.n wrong_type'),
    'wrong.md': request + verdict('422\nbody.all missing'),
  })
  const base = `http://127.0.0.1:${({ port } as AddressInfo).port}`
  const send = (...more: string[]) => yoseiBeside(['send', base, ...more], { cwd: folder.cwd })
  expect(await send('right.md', '--intake', 'intake.ts')).toMatchObject({ status: 0 })
  const wrong = await send('wrong.md', '--intake', 'intake.ts')
  expect([wrong.status, wrong.stdout]).toEqual([1, expect.stringContaining('body.n wrong_type')])
  const blind = await send('right.md')
  expect([blind.status, blind.stdout]).toEqual([
    1,
    expect.stringContaining('its errors cannot be read: name the intake'),
  ])
  await close()
  folder.remove()
})

test('try shows the answer as the envelope makes it', () => {
  const module = `${from('endpoint, integer, intake, record')}
export default intake({ envelope: ({ errors }) => ({ body: { ours: errors.length } }), endpoints: { put: endpoint('PUT /', { body: record({ n: integer() }) }) } })`
  const { stdout } = yoseiWith({ 'intake.ts': module }, [
    'try',
    'intake.ts',
    'PUT',
    '/',
    '--body',
    '{"n":"x"}',
    '--header',
    'content-type: application/json',
  ])
  expect(stdout).toMatch(/"ours": 1/)
})

test('check judges a journal again as it was, though its secrets are masked', () => {
  const module = `${from('endpoint, integer, intake, record, text')}
export default intake({ endpoints: { put: endpoint('PUT /', { body: record({ pin: text({ length: [4, 4], secret: true }), n: integer({ max: 5 }) }) }) } })`
  const event = (errors: object[], n: number) =>
    JSON.stringify({
      time: '2031-03-01T12:00:00Z',
      id: 'x',
      outcome: 'failed',
      status: 500,
      stage: 'handle',
      errors,
      input: `PUT / HTTP/1.1\ncontent-type: application/json\n\n{"pin":"(secret)","n":${n}}`,
    })
  const lines = `${event([], 1)}\n${event([{ address: 'body.pin', code: 'too_short' }], 9)}\n`
  const { stdout } = yoseiWith({ 'intake.ts': module, 'journal.ndjson': lines }, [
    'check',
    'intake.ts',
    'journal.ndjson',
    '--format',
    'json',
  ])
  const { samples } = JSON.parse(stdout) as {
    samples: { outcome: string; errors: { address: string; code: string }[] }[]
  }
  expect(
    samples.map(({ outcome, errors = [] }) => [outcome, ...errors.map(({ address, code }) => `${address} ${code}`)]),
  ).toEqual([['accepted'], ['rejected', 'body.pin too_short', 'body.n above_max']])
})

test('signed endpoints are tried, checked, probed and sent to', async () => {
  const attested = `import { createHmac } from 'node:crypto'
    import { endpoint, intake, integer, record, text } from 'yosei'
    export const macOf = (bytes: Uint8Array, key: string) => createHmac('sha256', key).update(bytes).digest('hex')
    export default intake({ endpoints: { put: endpoint('PUT /things', {
      header: { mac: text({ optional: true, length: [64, 64] }) }, body: record({ n: integer({ max: 9 }) }),
      attest: ({ bytes, head }, { key }: { key: string }) => head.headers.get('mac') === macOf(bytes, key),
    }) } })`
  const signing = `import { macOf } from './intake.ts'
    export default () => ({ key: 'k' })
    export const sign = ({ bytes }: { bytes: Uint8Array }) => ({ Mac: macOf(bytes, 'k') })`
  const sample = (title: string, header: string, expected: string) =>
    `## ${title}\n\n\`\`\`http\nPUT /things HTTP/1.1\nContent-Type: application/json\n${header}\n{"n":3}\n\`\`\`\n\`\`\`verdict\n${expected}\n\`\`\`\n`
  const book = `# Hooks\n\n${sample('Signed', '', 'accepted')}\n${sample('Forged', `Mac: ${'0'.repeat(64)}\n`, '403\nbody not_genuine')}`
  const odd = "export default () => ({ key: 'k' })\nexport const sign = 'x'"
  const folder = new Folder({ 'intake.ts': attested, 'services.ts': signing, 'odd.ts': odd, 'book.md': book })
  try {
    const run = (...args: string[]) => folder.yosei([...args, '--services', 'services.ts'])
    expect(run('check', 'intake.ts', 'book.md')).toMatchObject({ status: 0 })
    expect(run('try', 'intake.ts', 'PUT', '/things', '--body', '{"n":4}')).toMatchObject({ status: 0 })
    expect(run('probe', 'intake.ts').stdout).toMatch(/all as they must be; 1 not probed\n$/)
    expect(folder.yosei(['check', 'intake.ts', 'book.md', '--services', 'odd.ts'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('odd.ts: its export sign is no function'),
    })
    expect(folder.yosei(['check', 'intake.ts', 'book.md']).stdout).toContain('not asked: attest')
    const macOf = (bytes: Uint8Array) => createHmac('sha256', 'k').update(bytes).digest('hex')
    const server = createServer(async (request, response) => {
      const isGenuine = request.headers.mac === macOf(await buffer(request))
      const fields = { body: [{ code: 'not_genuine', detail: 'x', pointer: '' }] }
      response.writeHead(isGenuine ? 200 : 403).end(isGenuine ? '' : JSON.stringify({ fields }))
    }).listen(0, '127.0.0.1')
    await once(server, 'listening')
    const base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
    const send = (...more: string[]) => yoseiBeside(['send', base, 'book.md', ...more], { cwd: folder.cwd })
    expect((await send('--services', 'services.ts')).stdout).toContain('2 as expected, 0 not as expected')
    expect((await send()).stdout).toContain('1 as expected, 1 not as expected')
    server.close()
    server.closeAllConnections()
  } finally {
    folder.remove()
  }
})
