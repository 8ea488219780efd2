import { readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { Folder, http, intake, put, root, verdict, yosei, yoseiWith } from './run.ts'

test('a book says who is asking', () => {
  const guarded = `import { choice, endpoint, instant, intake, integer, record } from 'yosei'
export default intake({ identify: () => undefined, endpoints: { put: endpoint('PUT /things/{id}', { path: { id: integer() },
  who: record({ role: choice(['clerk', 'guest']), since: instant() }), may: (on) => on.is('who.role', 'clerk'),
  rules: (on) => [on.check({ reads: ['who.since', 'path.id'], code: 'late', holds: (since) => since.getTime() === 0 })] }) } })
`
  const said = (who: string) => `\`\`\`book\nwho: ${who}\n\`\`\`\n${http('PUT /things/1 HTTP/1.1')}`
  const page = [
    said('{"role":"clerk","since":"1970-01-01T00:00:00Z","name":"ada"}') + verdict('accepted'),
    said('{"role":"clerk","since":"1971-01-01T00:00:00Z"}') + verdict('422\npath.id late'),
    said('{"role":"guest","since":"1970-01-01T00:00:00Z"}') + verdict('403\nheader.authorization not_allowed'),
    said('null') + verdict('401\nheader.authorization not_known'),
    `\`\`\`book\n\`\`\`\n${http('PUT /things/1 HTTP/1.1')}${verdict('pending')}`,
  ].join('\n')
  expect(yoseiWith({ 'intake.ts': guarded, 'b.md': page }, ['check', 'intake.ts', 'b.md'])).toMatchObject({ status: 0 })
  for (const [who, told] of [
    ['{"role":"king"}', /^yosei: b\.md:2: who\.role must be one of clerk, guest/],
    ['{role}', /^yosei: b\.md:2: the caller must be JSON on one line/],
  ] as const)
    expect(yoseiWith({ 'intake.ts': guarded, 'b.md': said(who) }, ['check', 'intake.ts', 'b.md'])).toMatchObject({
      status: 2,
      stderr: expect.stringMatching(told),
    })
})

test('a book reads the same with LF, CRLF, CR and behind a byte order mark, and prints nothing that is secret', () => {
  const page = `# Plates

\`\`\`book
now: 2031-03-01T12:00:00Z
header: Team: red 	
header: Key: xyzzy
\`\`\`

## A plate

${http('POST /plates/xyzzy?token=xyzzy&odd=xyzzy HTTP/1.1\nContent-Type: multipart/form-data; boundary=x\n\n--x\nContent-Disposition: form-data; name="title"\n\nM 31\n--x\nContent-Disposition: form-data; name="pin"\n\nxyzzy\n--x--')}
${verdict('accepted\nbody.title = "M 31"\nbody.pin = "xyzzy"\nheader.key = "wrong xyzzy"\npath.id = "xyzzy"')}`
  const plates = `import { choice, endpoint, instant, intake, record, text } from 'yosei'
export default intake({ endpoints: { plate: endpoint('POST /plates/{id}', {
  path: { id: text({ secret: true }) }, query: { token: text({ secret: true }), at: instant({ default: new Date(0), until: '+1h' }) },
  header: { team: choice(['red']), key: text({ secret: true }) }, unlisted: { query: 'drop' },
  body: { 'multipart/form-data': record({ title: text(), pin: text({ secret: true }) }) } }) } })
`
  const printed = ['\n', '\r\n', '\r', '\uFEFF'].map((end) =>
    ['text', 'json'].map((format) =>
      yoseiWith({ 'intake.ts': plates, 'b.md': end === '\uFEFF' ? end + page : page.replaceAll('\n', end) }, [
        'check',
        'intake.ts',
        'b.md',
        '--format',
        format,
      ]),
    ),
  )
  for (const one of printed) expect(one).toEqual(printed[0])
  const [text = yosei([]), json = yosei([])] = printed[0] ?? []
  expect(text.status).toBe(1)
  expect(text.stdout + json.stdout).not.toContain('xyzzy')
  expect(text.stdout).toContain('POST /plates/(secret)?token=(secret)&odd=(secret)')
  expect(text.stdout).toContain('wanted header.key = (secret), but it came (secret)')
  expect(text.stdout.match(/wanted/g)).toHaveLength(1)
})

test('what is kept of a module is as its text, whoever spoils it', () => {
  const folder = new Folder({ 'intake.ts': intake, 'node_modules/x': '', 'b.md': `# One\n\n${http(`${put}{}`)}` })
  try {
    const check = () => folder.yosei(['check', 'intake.ts', 'b.md']).stdout
    const kept = join(folder.cwd, 'node_modules/.cache')
    const files = () => readdirSync(kept, { recursive: true, encoding: 'utf8' }).filter((one) => one.endsWith('.js'))
    const accepted = check()
    expect([accepted, files().length]).toEqual([expect.stringContaining('1 accepted'), 1])
    const file = join(kept, files()[0] as string)
    const whole = readFileSync(file, 'utf8')
    writeFileSync(file, whole.slice(0, 200))
    expect([check(), readFileSync(file, 'utf8')]).toEqual([accepted, whole])
    folder.write('intake.ts', intake.replace('id: integer()', 'id: integer({ min: 2 })'))
    expect(check()).toContain('path.id must be at least 2')
    expect(files()).toHaveLength(1)
    // Nothing can be kept where a file is in the way.
    rmSync(kept, { recursive: true })
    folder.write('node_modules/.cache', '')
    expect(check()).toContain('path.id must be at least 2')
  } finally {
    folder.remove()
  }
})

test('what was sent does not steer a terminal', () => {
  const page = `# Red \u009b31m\n\n${http('PUT /things/\u001b[31mx HTTP/1.1\nTeam: red\nContent-Type: application/json\n\n{"\u009b31m":1}')}${verdict('400\nbody["\u009b31m"] odd')}`
  const { stdout } = yoseiWith({ 'intake.ts': intake, 'b.md': page }, ['check', 'intake.ts', 'b.md'])
  expect(stdout.match(/[\p{Cc}\p{Cf}]/gu)?.filter((one) => one !== '\n') ?? []).toEqual([])
  expect(stdout).toContain('Red ·31m')
  expect(stdout).toContain('PUT /things/·[31mx')
  expect(stdout).toContain('body["·31m"] is not known here')
  expect(stdout).toContain('wanted body["·31m"] odd')
})

describe('the observatory', () => {
  const args = [
    'check',
    'examples/observatory/intake.ts',
    'examples/observatory/samples',
    '--services',
    'examples/observatory/services.ts',
  ]
  test('is as its books say, plain in a pipe, within 100 columns', () => {
    const { status, stdout, stderr } = yosei(args)
    expect([status, stderr]).toEqual([0, ''])
    expect(stdout).toMatch(/^\d+ samples: .* 0 not as expected$/m)
    expect(stdout).toMatch(/body\.window\.closes must come after body\.window\.opens/)
    expect(stdout).not.toContain('\u001b')
    expect(stdout.split('\n').filter((line) => line.length > 100)).toEqual([])
    expect(yosei(args, { env: { FORCE_COLOR: '1' } }).stdout).toContain('\u001b[')
    expect(yosei(args, { env: { FORCE_COLOR: '1', NO_COLOR: '1' } }).stdout).not.toContain('\u001b')
  })
  test('as one JSON document, every value of an error at its place in the book', () => {
    const { samples, counts } = JSON.parse(yosei([...args, '--format', 'json']).stdout)
    expect(counts).toEqual({
      samples: samples.length,
      accepted: expect.any(Number),
      pending: 0,
      rejected: expect.any(Number),
      asExpected: samples.length,
      notAsExpected: 0,
    })
    expect(counts.samples).toBeGreaterThanOrEqual(20)
    const sample = samples.find(({ title }: { title: string }) => title === 'Many mistakes at once')
    expect(sample).toMatchObject({
      file: 'examples/observatory/samples/book-a-session.md',
      method: 'POST',
      target: '/telescopes/kr-2/sessions?dryRun=maybe',
      outcome: 'rejected',
      status: 400,
      unasked: [],
      asExpected: true,
    })
    const book = readFileSync(join(root, sample.file), 'utf8').split('\n')
    const there = Object.fromEntries(
      sample.errors.map(({ address, line, column }: { address: string; line: number; column: number }) => [
        address,
        book[line - 1]?.slice(column - 1, column + 5),
      ]),
    )
    expect(there).toMatchObject({
      'query.dryRun': 'dryRun',
      'header.idempotency-key': '7f3a',
      'body.target.declination': '"north',
      'body.exposures[2].filter': '"red",',
      'body.nott': '"typed',
    })
    expect(sample.errors[2]).toEqual({
      address: 'body.target.name',
      pointer: '/target/name',
      code: 'too_short',
      message: 'must have at least 1 character; "" was sent',
      line: expect.any(Number),
      column: 23,
    })
  })
})

describe('books', () => {
  const outcomes = (book: string) => {
    const { status, stdout } = yoseiWith({ 'intake.ts': intake, 'book.md': book }, [
      'check',
      'intake.ts',
      'book.md',
      '--format',
      'json',
    ])
    return {
      status,
      samples: JSON.parse(stdout).samples.map(
        ({
          title,
          outcome,
          asExpected,
          errors,
        }: {
          title: string
          outcome: string
          asExpected: boolean
          errors: { line: number; column: number }[]
        }) => [title, outcome, asExpected, ...errors.map(({ line, column }) => `${line}:${column}`)],
      ),
    }
  }
  test('a sample in a quote or a list, with numbered titles, and settings that later settings replace', () => {
    const quoted = (block: string) => block.replace(/^/gm, '> ').replace(/> $/, '\n')
    const book = `${http('PUT /things/1 HTTP/1.1\nContent-Type: application/json\n\n{}')}
# *One* \`thing\`
\`\`\`book
header: Team: blue
\`\`\`
${quoted(http('PUT /things/1 HTTP/1.1\nContent-Type: application/json\n\n{\n  "a.b": [{ "n": true }]\n}'))}
- ${http('PUT /things/x HTTP/1.1\nContent-Type: application/json\n\n{}').replace(/\n/g, '\n  ')}
`
    expect(outcomes(book)).toEqual({
      status: 0,
      samples: [
        ['Untitled', 'rejected', null, '2:1'],
        ['One thing (1)', 'rejected', null, '17:20'],
        ['One thing (2)', 'rejected', null, '23:7'],
      ],
    })
  })
  test('a verdict is held against what its block says', () => {
    const good = http(`${put}{"a.b":[{"n":5}]}`)
    const bad = http(`${put}{"a.b":[{"n":"x"},{"n":"y"}],"c":1}`)
    const table: [book: string, asExpected: boolean][] = [
      [good + verdict('accepted'), true],
      [good + verdict('accepted\nbody["a.b"][0].n = 5\nquery = {"q":2}'), true],
      [good + verdict('accepted\nbody["a.b"][0].n = 6'), false],
      [good + verdict('accepted\nbody.at = null'), false],
      [good + verdict('422'), false],
      [bad + verdict('422'), true],
      [bad + verdict('422\nbody["a.b"][1].n wrong_type\nbody["a.b"][0].n\nbody.c unlisted'), true],
      [bad + verdict('422\nbody.c\n…'), true],
      [bad + verdict('422\nbody.c'), false],
      [bad + verdict('422\nbody.c unlisted\nbody.c unlisted\n…'), false],
      [bad + verdict('422\nbody.c missing\n…'), false],
      [bad + verdict('400'), false],
      [bad + verdict('accepted'), false],
    ]
    const { status, samples } = outcomes(table.map(([book]) => book).join('\n'))
    expect(status).toBe(1)
    expect(samples.map(([, , asExpected]: [string, string, boolean]) => asExpected)).toEqual(
      table.map(([, asExpected]) => asExpected),
    )
  })
  test('what was wanted and what came, and the nearest endpoint, are told', () => {
    const { stdout } = yoseiWith(
      { 'intake.ts': intake, 'a/book.md': `# Typo\n${http('PUT /thing/1 HTTP/1.1')}${verdict('accepted')}` },
      ['check', 'intake.ts', 'a/*.md'],
    )
    expect(stdout).toContain('≠ 404       Typo')
    expect(stdout).toContain('the nearest endpoint is PUT /things/{id}')
    expect(stdout).toContain('wanted accepted, but it came 404')
  })
})

const asking = `import { endpoint, intake, text } from 'yosei'
export default intake({ endpoints: { get: endpoint('GET /things/{id}', { path: { id: text() }, lookups: (on) => ({ thing: on.lookup({ reads: ['path.id'], ask: (services, [id]) => services.take(id) }) }) }) } })
`
describe('lookups', () => {
  const book = `${http('GET /things/a HTTP/1.1')}${verdict('pending\npath.id = "a"')}${http('GET /things/a HTTP/1.1')}${verdict('accepted')}${http('GET /things/b HTTP/1.1')}${verdict('422\npath.id not_found')}`
  test('are pending without services', () => {
    const { status, stdout } = yoseiWith({ 'intake.ts': asking, 'book.md': book }, ['check', 'intake.ts', 'book.md'])
    expect(status).toBe(1)
    expect(stdout).toContain('not asked: thing (--services MODULE asks them)')
    expect(stdout).toContain('wanted accepted, but it came pending')
    expect(stdout).toContain('3 samples: 0 accepted, 3 pending, 0 rejected, 1 as expected, 2 not as expected')
  })
  test('ask stand-ins that are made afresh for each sample', () => {
    const services =
      "export default () => { const left = new Set(['a']); return { take: (id: string) => left.delete(id) } }"
    const { status, stdout } = yoseiWith(
      { 'intake.ts': asking, 'services.ts': services, 'book.md': book.replace('pending', 'accepted') },
      ['check', 'intake.ts', 'book.md', '--services', 'services.ts', '--format', 'json'],
    )
    expect([status, JSON.parse(stdout).counts]).toEqual([
      0,
      { samples: 3, accepted: 2, pending: 0, rejected: 1, asExpected: 3, notAsExpected: 0 },
    ])
  })
  test('and the failed requests of a journal are judged again, at their time', () => {
    const event = {
      time: '2031-03-01T00:00:00.000Z',
      id: 'e-1',
      outcome: 'failed',
      status: 500,
      stage: 'handle',
      errors: [],
    }
    const journal = [
      { ...event, input: `${put}{}` },
      { ...event, outcome: 'rejected' },
    ]
      .map((one) => `${JSON.stringify(one)}\n`)
      .join('')
    const { status, stdout } = yoseiWith({ 'intake.ts': intake, 'journal.ndjson': journal }, [
      'check',
      'intake.ts',
      'journal.ndjson',
    ])
    expect(status).toBe(0)
    expect(stdout).toContain('failed with 500 at 2031-03-01T00:00:00.000Z, e-1')
    expect(stdout).toContain('1 sample: 1 accepted')
  })
})

test('an endpoint is shown as its description, or as the code that is made for it', () => {
  const description = JSON.parse(
    yosei(['show', 'examples/observatory/intake.ts', 'changeSession', '--format', 'json']).stdout,
  )
  expect(description).toMatchObject({
    name: 'changeSession',
    method: 'PATCH',
    path: { sessionId: { kind: 'text' } },
    rules: [{ rule: 'equal', words: 'body.sessionId must be the same as path.sessionId' }, {}],
  })
  const { status, stdout } = yosei(['show', 'examples/observatory/intake.ts', 'bookSession', '--code'])
  expect([status, stdout.match(/^return \(function read_bookSession\(/gm)?.length]).toEqual([0, 1])
  expect(stdout).toContain('// "body.exposures[].seconds"')
  const { status: failed, stderr } = yosei(['show', 'examples/observatory/intake.ts', 'bookSesion'])
  expect([failed, stderr]).toEqual([
    2,
    'yosei: bookSesion: the intake has no endpoint of this name; the nearest is bookSession\n',
  ])
})

describe('when the command cannot run, it says where and what to do, in one line, with exit code 2', () => {
  const book = http('GET / HTTP/1.1')
  test.each<[string, { [name: string]: string }, string[], RegExp]>([
    [
      'no such services',
      { 'intake.ts': intake, 'book.md': book },
      ['check', 'intake.ts', 'book.md', '--services', 'none.ts'],
      /^yosei: none\.ts: there is no such file; name the module that exports your stand-in services\n$/,
    ],
    [
      'services that are no function',
      { 'intake.ts': intake, 'services.ts': 'export default {}', 'book.md': book },
      ['check', 'intake.ts', 'book.md', '--services', 'services.ts'],
      /^yosei: services\.ts: its default export is no function; end it with: /,
    ],
    [
      'services that cannot be made',
      { 'intake.ts': intake, 'services.ts': 'export default () => {\n  throw Error("down")\n}', 'book.md': book },
      ['check', 'intake.ts', 'book.md', '--services', 'services.ts'],
      /^yosei: services\.ts:2:\d+: could not make its services: down\n$/,
    ],
    [
      'standard input watched',
      { 'intake.ts': intake },
      ['check', 'intake.ts', '-', '--watch'],
      /^yosei: --watch judges again when files change; standard input is none\n$/,
    ],
    [
      'a journal that is none',
      { 'intake.ts': intake, 'journal.ndjson': '{"id":"a","time":"2031-03-01T00:00:00Z"}\n{"level":"info"}\n' },
      ['check', 'intake.ts', 'journal.ndjson'],
      /^yosei: journal\.ndjson:2: this line is no event of a journal; /,
    ],
    [
      'no such intake',
      { 'book.md': book },
      ['check', 'none.ts', 'book.md'],
      /^yosei: none\.ts: there is no such file; /,
    ],
    [
      'an intake that throws',
      { 'intake.ts': "import 'yosei'\n\nthrow new Error('boom\\nbang')", 'book.md': book },
      ['check', 'intake.ts', 'book.md'],
      /^yosei: intake\.ts:3:\d+: could not be loaded: boom\n$/,
    ],
    [
      'an intake with a syntax error',
      { 'intake.ts': 'export default {', 'book.md': book },
      ['check', 'intake.ts', 'book.md'],
      /^yosei: intake\.ts(:\d+:\d+)?: could not be loaded: .*\n$/,
    ],
    [
      'a declaration that makes no sense',
      { 'intake.ts': "import { endpoint } from 'yosei'\nendpoint('GET x', {})", 'book.md': book },
      ['check', 'intake.ts', 'book.md'],
      /^yosei: intake\.ts:2:\d+: could not be loaded: GET x: the path template must begin with a slash/,
    ],
    [
      'an intake that ends the process',
      { 'intake.ts': 'process.exit(0)', 'book.md': book },
      ['check', 'intake.ts', 'book.md'],
      /^yosei: intake\.ts: it ended the process while it was loaded: take process\.exit\(\) away\n$/,
    ],
    [
      'an intake that waits for nothing',
      { 'intake.mjs': 'await new Promise(() => undefined)', 'book.md': book },
      ['check', 'intake.mjs', 'book.md'],
      /^yosei: intake\.mjs: it waits for something that never comes: look at its await at the top\n$/,
    ],
    [
      'an intake without a default export',
      { 'intake.ts': 'export const a = 1', 'book.md': book },
      ['check', 'intake.ts', 'book.md'],
      /^yosei: intake\.ts: its default export is no intake; /,
    ],
    [
      'no such samples',
      { 'intake.ts': intake },
      ['check', 'intake.ts', 'samples'],
      /^yosei: samples: there is no such file or folder/,
    ],
    [
      'a glob that matches nothing',
      { 'intake.ts': intake },
      ['check', 'intake.ts', '*.markdown'],
      /^yosei: \*\.markdown: /,
    ],
    [
      'an empty folder',
      { 'intake.ts': intake, 'samples/a.txt': '' },
      ['check', 'intake.ts', 'samples'],
      /^yosei: samples: no sample book in this folder/,
    ],
    [
      'a book without samples',
      { 'intake.ts': intake, 'book.md': '# Nothing' },
      ['check', 'intake.ts', 'book.md'],
      /^yosei: book\.md: no samples here; /,
    ],
    [
      'a truncated message',
      { 'intake.ts': intake, 'book.md': `# A\n\n${http('GET /things')}` },
      ['check', 'intake.ts', 'book.md'],
      /^yosei: book\.md:4: "GET \/things" is no request line; /,
    ],
    [
      'a header field that is none',
      { 'intake.ts': intake, 'book.md': http('GET / HTTP/1.1\nTeam: a\n{}') },
      ['check', 'intake.ts', 'book.md'],
      /^yosei: book\.md:4: "\{\}" is no header field; /,
    ],
    [
      'an empty message',
      { 'intake.ts': intake, 'book.md': '```http\n```' },
      ['check', 'intake.ts', 'book.md'],
      /^yosei: book\.md:1: this http block is empty; /,
    ],
    [
      'a block that is never closed',
      { 'intake.ts': intake, 'book.md': '# A\n```http\nGET / HTTP/1.1\n' },
      ['check', 'intake.ts', 'book.md'],
      /^yosei: book\.md:2: this http block is never closed; /,
    ],
    [
      'a verdict that is none',
      { 'intake.ts': intake, 'book.md': `${book}\n${verdict('perhaps')}` },
      ['check', 'intake.ts', 'book.md'],
      /^yosei: book\.md:6: "perhaps" is no verdict; /,
    ],
    [
      'an error that is none',
      { 'intake.ts': intake, 'book.md': book + verdict('422\nbody..a missing') },
      ['check', 'intake.ts', 'book.md'],
      /^yosei: book\.md:6: "body\.\.a missing" is no error; /,
    ],
    [
      'an assertion that is none',
      { 'intake.ts': intake, 'book.md': book + verdict('accepted\nquery.a = {') },
      ['check', 'intake.ts', 'book.md'],
      /^yosei: book\.md:6: "query\.a = \{" asserts nothing; /,
    ],
    [
      'a verdict without a request',
      { 'intake.ts': intake, 'book.md': verdict('422') },
      ['check', 'intake.ts', 'book.md'],
      /^yosei: book\.md:1: this verdict block has no http block before it; /,
    ],
    [
      'a setting that is none',
      { 'intake.ts': intake, 'book.md': `\`\`\`book\nnow: soon\n\`\`\`\n${book}` },
      ['check', 'intake.ts', 'book.md'],
      /^yosei: book\.md:2: "now: soon" is no setting; /,
    ],
    [
      'a format that is none',
      { 'intake.ts': intake },
      ['check', 'intake.ts', 'book.md', '--format', 'xml'],
      /xml.*text, json/s,
    ],
    ['no samples named', { 'intake.ts': intake }, ['check', 'intake.ts'], /samples/],
  ])('%s', (_, files, args, message) => {
    const { status, stdout, stderr } = yoseiWith(files, args)
    expect([status, stdout]).toEqual([2, ''])
    expect(stderr).toMatch(message)
    expect(stderr).not.toMatch(/^\s+at /m)
  })
})

test.each([
  ['waits while something runs', 'setInterval(() => undefined, 100); await new Promise(() => undefined)', 2],
  ['never comes to an end', 'for (;;);', null],
])('an intake that %s is given up in time', (_, source, status) => {
  const env = { YOSEI_LOAD_SECONDS: '1' }
  const came = yoseiWith({ 'intake.mjs': source, 'book.md': '# None' }, ['check', 'intake.mjs', 'book.md'], { env })
  expect(came).toMatchObject({ status, stdout: '' })
  expect(came.stderr).toBe(
    'yosei: intake.mjs: it did not load within 1 seconds: let it wait for nothing, and start no server\n',
  )
})
