/** Every command as a process, on good and bad input: what it prints, what it writes, and how it ends. */
import { execFileSync, spawnSync } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { endpoint, integer, intake as makeIntake, record, serve, text } from 'yosei'
import { listen } from 'yosei/node'
import { Folder, http, intake, put, root, verdict, yosei, yoseiBeside, yoseiWith } from './run.ts'

const observatory = [
  'examples/observatory/intake.ts',
  'examples/observatory/samples',
  '--services',
  'examples/observatory/services.ts',
]
const good = http(`${put}{"at":"a"}`)

test('try makes a request around what is said, and shows its way and its answer', () => {
  const folder = new Folder({
    'intake.ts': intake,
    'body.json': '{"a.b":[{"n":1}]}',
    'down.ts': "export default async () => { await 0; throw new Error('down') }",
  })
  const run = (...more: string[]) => folder.yosei(['try', 'intake.ts', ...more])
  const accepted = run(
    'put',
    '/things/7',
    '--with',
    'body.at=now',
    '--with',
    'body["a.b"][0].n=3',
    '--header',
    'X-Odd: 1',
  )
  expect(accepted).toMatchObject({ status: 0, stderr: '' })
  expect(accepted.stdout).toMatch(
    /^PUT \/things\/7\nteam: \w+\ncontent-type: application\/json\nx-odd: 1\n\n\{\n {2}"at": "now",?/,
  )
  expect(accepted.stdout).toMatch(
    /passed +match: put\n[\s\S]*passed +shape\n\naccepted +put\n\nthe handler gets\n[\s\S]*body\["a\.b"\] = \[\{"n":3\}\]/,
  )
  const rejected = run(
    'PUT',
    '/things/7',
    '--body',
    '@body.json',
    '--with',
    'body["a.b"][0].n=x',
    '--with',
    'query.q=no',
  )
  expect(rejected.status).toBe(1)
  expect(rejected.stdout).toMatch(/400 +put\n +query\.q must be a whole number; "no" was sent/)
  expect(rejected.stdout).toMatch(/"n": "x"\n +\^\^\^/)
  expect(rejected.stdout).toMatch(/HTTP\/1\.1 400\n[\s\S]*content-type: application\/problem\+json\n[\s\S]*"query\.q"/)
  expect(run('GET', '/thing').stdout).toMatch(/404[\s\S]*the nearest endpoint is PUT \/things\/\{id\}/)
  expect(JSON.parse(run('PUT', '/things/7', '--format', 'json').stdout)).toMatchObject({
    message: { method: 'PUT' },
    verdict: { outcome: 'accepted' },
    answer: null,
  })
  for (const set of ['query.q=no', 'body.at=1']) run('PUT', '/things/7', '--with', set, '--write', 'tried.md')
  expect(folder.yosei(['check', 'intake.ts', 'tried.md'])).toMatchObject({
    status: 0,
    stdout: expect.stringContaining('2 samples: 1 accepted, 1 rejected, 2 as expected'),
  })
  for (const [args, told] of [
    [['PUT', 'things'], /things: this is no target; it begins with a slash/],
    [['PUT', '/things/1', '--with', 'body'], /"body" sets nothing; write --with body\.seats=5/],
    [['PUT', '/things/1', '--with', 'body.no.where=1'], /the endpoint has no such field/],
    [['PUT', '/things/1', '--with', 'body["a.b"][10000].n=1'], /lists of more than 10000 elements are not made/],
    [['PUT', '/things/1', '--services', 'down.ts'], /down\.ts:1:\d+: could not make its services: down/],
    [['PUT', '/things/1', '--body', '@none'], /none: there is no such file; write --body @FILE/],
    [['PUT', '/things/1', '--header', 'odd'], /"odd" is no header field; write Name: value/],
    [['PUT', '/things/1', '--body', '{', '--with', 'body.at=1'], /the body cannot be read/],
  ] as const)
    expect(run(...args)).toMatchObject({ status: 2, stdout: '', stderr: expect.stringMatching(told) })
  folder.remove()
})

describe('a running server', () => {
  const book = endpoint('POST /nights/{night}', {
    path: { night: text({ pattern: /^\d{4}$/ }) },
    body: record({ seats: integer({ min: 1, max: 9 }) }),
    turn: { of: 'night', by: ['path.night'], wait: '2s' },
    lookups: (on) => ({
      free: on.lookup({
        reads: ['path.night'],
        ask: ({ taken }: { taken: Set<string> }, [night]) => taken.has(night) || undefined,
        absent: true,
      }),
    }),
  })
  const source = `import { endpoint, intake, integer, record, text } from 'yosei'
export default intake({ endpoints: { book: endpoint('POST /nights/{night}', { path: { night: text({ pattern: /^[0-9]{4}$/ }) }, body: record({ seats: integer({ min: 1, max: 9 }) }) }) } })
`
  const night = (number: string, seats: number) =>
    http(`POST /nights/${number} HTTP/1.1\nContent-Type: application/json\n\n{"seats":${seats}}`)
  async function serving() {
    const taken = new Set<string>()
    return listen(
      serve(
        makeIntake({ endpoints: { book } }),
        { book: ({ path }) => void taken.add(path.night) },
        { services: { taken } },
      ),
    )
  }
  test('is sent samples, and held against the books; the same at the same moment gets in once', async () => {
    const { url, close } = await serving()
    const folder = new Folder({
      'b.md': `# Free\n${night('0001', 3)}${verdict('accepted')}# Many\n${night('0002', 10)}${verdict('422\nbody.seats above_max')}# Odd\n${night('0003', 0)}${verdict('422\nbody.seats missing')}`,
      'same.md': `# Same\n${night('0009', 1)}`,
    })
    const run = (...args: string[]) => yoseiBeside(['send', ...args], { cwd: folder.cwd })
    const { status, stdout } = await run(url, 'b.md')
    expect(status).toBe(1)
    expect(stdout).toMatch(
      /= 204 +Free[\s\S]*= 422 +Many[\s\S]*≠ 422 +Odd[\s\S]*body\.seats below_min\n +wanted body\.seats missing, but it did not come/,
    )
    expect(stdout).toMatch(/3 samples sent to http:\/\/127\.0\.0\.1:\d+: 2 as expected, 1 not as expected/)
    const abreast = await run(url, 'same.md', '--abreast', '5')
    expect(abreast).toMatchObject({
      status: 0,
      stdout: expect.stringMatching(
        / 1 +[\d.]+ ms {2}204[\s\S]* 5 +[\d.]+ ms {2}409 +path\.night already_there\n +1 × 204, 4 × 409/,
      ),
    })
    const json = JSON.parse((await run(url, 'same.md', '--repeat', '2', '--format', 'json')).stdout)
    expect(json.samples[0].answers.map((one: { status: number }) => one.status)).toEqual([409, 409])
    await close()
    expect(await run(url, 'b.md')).toMatchObject({
      status: 2,
      stdout: '',
      stderr: expect.stringMatching(
        /^yosei: http:\/\/127\.0\.0\.1:\d+: no server answers \(ECONNREFUSED\); start it, or correct the address\n$/,
      ),
    })
    expect(await run('nowhere', 'b.md')).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('this is no address of a server'),
    })
    const silent = createServer(() => undefined).listen(0)
    const { port } = silent.address() as AddressInfo
    expect(await run(`http://127.0.0.1:${port}`, 'same.md', '--timeout', '300')).toMatchObject({
      status: 1,
      stdout: expect.stringContaining('no answer within 300 ms'),
    })
    expect(await run(`http://127.0.0.1:${port}`, 'same.md', '--header', 'Odd: \u0001')).toMatchObject({
      status: 1,
      stdout: expect.stringContaining('it cannot be sent: invalid odd header'),
    })
    silent.closeAllConnections()
    silent.close()
    // An answer without end is not read to its end.
    const endless = createServer((_, response) => {
      const more = () => response.write('x'.repeat(100_000), (error) => error ?? more())
      more()
    }).listen(0)
    expect(await run(`http://127.0.0.1:${(endless.address() as AddressInfo).port}`, 'b.md')).toMatchObject({
      status: 1,
      stdout: expect.stringMatching(/= 200 +Free[\s\S]*wanted 422, but it came 200/),
    })
    endless.closeAllConnections()
    endless.close()
    folder.remove()
  })
  test('is probed, and what it lets by is found', async () => {
    const { url, close } = await serving()
    const loose = createServer((request, response) =>
      response.writeHead(request.method === 'POST' ? 200 : 404).end(),
    ).listen(0)
    const folder = new Folder({ 'intake.ts': source })
    const run = (...args: string[]) => yoseiBeside(['probe', 'intake.ts', ...args], { cwd: folder.cwd })
    // Each night is had once: the good requests after the first are refused.
    expect((await run('--at', url)).stdout).toMatch(/must be accepted, but it came 409: path\.night already_there/)
    const { status, stdout } = await run('--at', `http://127.0.0.1:${(loose.address() as AddressInfo).port}`)
    expect(status).toBe(1)
    expect(stdout).toMatch(/≠ body\.seats: max 9\n +must be rejected with body\.seats above_max, but it came 200/)
    loose.closeAllConnections()
    loose.close()
    await close()
    folder.remove()
  })
})

test('probe finds the observatory as it is declared, and saves a book that holds', () => {
  const folder = new Folder({})
  const target = join(folder.cwd, 'probes.md')
  const { status, stdout } = yosei(['probe', 'examples/observatory/intake.ts', '--write', target])
  expect(status).toBe(0)
  expect(stdout).toMatch(/bookSession +█+ +\d+ accepted +\d+ rejected/)
  expect(stdout).toMatch(/\d{3} probes: all as they must be; \d+ not probed\nwritten to /)
  expect(stdout.split('\n').filter((line) => line.length > 100 && !line.startsWith('written'))).toEqual([])
  const checked = yosei(['check', 'examples/observatory/intake.ts', target, '--format', 'json'])
  expect([checked.status, JSON.parse(checked.stdout).counts]).toEqual([
    0,
    expect.objectContaining({ notAsExpected: 0 }),
  ])
  const { stdout: json } = yosei(['probe', 'examples/observatory/intake.ts', 'sendChart', '--format', 'json'])
  expect(JSON.parse(json).endpoints).toMatchObject([
    { endpoint: 'sendChart', wrong: [], unprobed: [{ what: 'lookup session', because: 'it needs a service' }] },
  ])
  expect(yosei(['probe', 'examples/observatory/intake.ts', '--write', target])).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('is there already'),
  })
  expect(yosei(['probe', 'examples/observatory/intake.ts', 'sendCharts'])).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('the nearest is sendChart'),
  })
  folder.remove()
})

test('compare shows what breaks by requests, between files and between revisions', () => {
  const folder = new Folder({
    'a.ts': intake,
    'b.ts': intake.replace('q: integer({ default: 1 })', 'q: integer({ max: 9, default: 2 })'),
  })
  const broken = folder.yosei(['compare', 'a.ts', 'b.ts'])
  expect(broken.status).toBe(1)
  expect(broken.stdout).toMatch(
    /accepted before, rejected now\n +query\.q must be at most 9; "\d+" was sent\n +default 1 → 2\n +max \(none\) → 9\n +PUT \/things\/\S+ +accepted → 400/,
  )
  expect(broken.stdout).toMatch(/read differently\n +query\.q was read as 1, now as 2/)
  const json = folder.yosei(['compare', 'b.ts', 'a.ts', '--format', 'json'])
  expect([json.status, JSON.parse(json.stdout).differences.map(({ change }: { change: string }) => change)]).toEqual([
    0,
    ['widening', 'reading'],
  ])
  expect(folder.yosei(['compare', 'a.ts', 'a.ts'])).toMatchObject({
    status: 0,
    stdout: expect.stringContaining('no request was found'),
  })
  const git = (...args: string[]) =>
    execFileSync('git', ['-c', 'user.name=a', '-c', 'user.email=a@b.example', ...args], { cwd: folder.cwd })
  for (const args of [
    ['init', '-q'],
    ['add', '.'],
    ['commit', '-qm', 'a'],
  ])
    git(...args)
  folder.write('a.ts', folder.read('b.ts'))
  expect(folder.yosei(['compare', 'git:HEAD:a.ts', 'a.ts'])).toMatchObject({ status: 1, stderr: '' })
  expect(git('worktree', 'list').toString().trim().split('\n')).toHaveLength(1)
  expect(folder.yosei(['compare', 'git:nothing:a.ts', 'a.ts'])).toMatchObject({
    status: 2,
    stderr: expect.stringMatching(/^yosei: git:nothing:a\.ts: git says: /),
  })
  expect(folder.yosei(['compare', 'git:a.ts', 'a.ts'])).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('write git:HEAD~1:path/intake.ts'),
  })
  folder.remove()
})

test('the lines for a CI say in a pull request what breaks, and where the declaration is careless or mistaken', () => {
  const intakeOf = (most: number) => `import { endpoint, intake, integer, record, text } from 'yosei'
const put = endpoint('PUT /', { body: record({ n: integer({ max: ${most} }), note: text() }) })
export default intake({ endpoints: { put } })
`
  const lines = /```bash\n([\s\S]*?)```/.exec(readFileSync(join(root, 'docs/changing.md'), 'utf8'))?.[1] ?? ''
  const folder = new Folder({ 'intake.ts': intakeOf(9) })
  const git = (...args: string[]) =>
    execFileSync('git', ['-c', 'user.name=a', '-c', 'user.email=a@b.example', ...args], { cwd: folder.cwd })
  const review = () => {
    const script = lines.replaceAll(
      'npx yosei',
      `"${process.execPath}" "${join(root, 'packages/yosei-cli/bin/yosei.js')}"`,
    )
    const { status } = spawnSync('sh', ['-c', script], { cwd: folder.cwd, env: { ...process.env, BASE: 'HEAD' } })
    const [run] = JSON.parse(folder.read('yosei.sarif')).runs
    const results = run.results.map(({ ruleId, level, locations: [{ physicalLocation }] }: Found) => {
      const { artifactLocation, region } = physicalLocation
      expect(run.tool.driver.rules.some(({ id }: { id: string }) => id === ruleId)).toBe(true)
      return `${level} ${ruleId} ${artifactLocation.uri}:${region.startLine}:${region.startColumn}`
    })
    return { status, results, comparison: folder.read('comparison.md') }
  }
  git('init', '-q')
  git('add', '.')
  git('commit', '-qm', 'a')
  const careless = ['warning unbounded intake.ts:2:72']
  expect(review()).toMatchObject({
    status: 0,
    results: careless,
    comparison: expect.stringMatching(/^## No client that works today/),
  })
  folder.write('intake.ts', intakeOf(7))
  const { comparison, ...narrowed } = review()
  expect(narrowed).toEqual({ status: 1, results: careless })
  expect(comparison).toBe(`## Clients that work today would break

### 1 kind of requests would be rejected that are accepted today

- **put**: \`body.n\` must be at most 7; 9 was sent (\`max 9 → 7\`)
  - \`PUT /\` with \`"n": 9\`: accepted → 422
`)
  // What a value could do to the page, or to whom it names.
  const choiceOf = (...values: string[]) =>
    intakeOf(7)
      .replace('text()', `choice(${JSON.stringify(values)})`)
      .replace('integer, ', 'choice, integer, ')
  folder.write('intake.ts', choiceOf('a', '<b>`@all` [x](y)'))
  git('commit', '-qam', 'b')
  folder.write('intake.ts', choiceOf('a'))
  const { comparison: spoilt } = review()
  expect(spoilt).toContain('"&#60;b&#62;\\`&#64;all\\` \\[x\\](y)" was sent')
  expect(spoilt).toContain(' with ``"note": "<b>`@all` [x](y)"``: accepted → 422')
  folder.write('intake.ts', intakeOf(7).replace('max: 7', 'min: 8, max: 7'))
  expect(review()).toMatchObject({ status: 2, results: ['error mistake intake.ts:2:48'] })
  folder.remove()
})
type Found = {
  ruleId: string
  level: string
  locations: [
    { physicalLocation: { artifactLocation: { uri: string }; region: { startLine: number; startColumn: number } } },
  ]
}

const parts = `import { integer, record } from 'yosei'
export const window = record({ opens: integer(), closes: integer() })
export const wrong = integer({ min: 5, max: 3 })
`
const shell = (
  declared: string,
  imported = '',
) => `import { endpoint, group, intake, integer, record, text } from 'yosei'
import { window, wrong } from './parts.ts'
${imported}
export default intake({
  endpoints: {
    put: ${declared},
  },
})
`
test.each<[what: string, module: string, place: string]>([
  [
    'a limit, deep in a body',
    shell(
      "endpoint('PUT /', {\n      body: record({ a: record({ b: record({ n: integer({ min: 5, max: 3 }) }) }) }),\n    })",
    ),
    'intake.ts:7:46',
  ],
  [
    'an address that is not declared',
    shell(
      "endpoint('PUT /', {\n      body: window,\n      rules: (on) => [\n        on.ascending('body.opens', 'body.closed' as never),\n      ],\n    })",
    ),
    'intake.ts:9:37',
  ],
  [
    'a field of another module: its name in this one',
    shell("endpoint('PUT /', { body: record({ w: wrong }) })"),
    'intake.ts:6:45',
  ],
  [
    'an option that there is not',
    shell("endpoint('PUT /', { body: record({ n: text({ lenght: [1, 2] } as never) }) })"),
    'intake.ts:6:45',
  ],
  [
    'two endpoints in one place',
    shell("endpoint('PUT /{a}', { path: { a: text() } }),\n    get: endpoint('PUT /{b}', { path: { b: text() } })"),
    'intake.ts:4:',
  ],
  ['what throws in another module', shell("endpoint('PUT /', {})", "import './throws.ts'"), 'throws.ts:2:'],
])('a mistake is named with its file, line and column: %s', (_, module, place) => {
  const throws = 'const nothing = undefined as never as { a: { b: 1 } }\nexport const { b } = nothing.a\n'
  const { status, stderr } = yoseiWith({ 'intake.ts': module, 'parts.ts': parts, 'throws.ts': throws }, [
    'show',
    'intake.ts',
  ])
  expect([status, stderr.slice(0, `yosei: ${place}`.length)]).toEqual([2, `yosei: ${place}`])
})

test('advise says few things, at their place, and is quiet where it is answered', () => {
  const careless = `import { day, endpoint, group, intake, integer, list, record, table, text } from 'yosei'
const span = record({ low: integer(), high: integer() }, { rules: (on) => [on.ascending('low', 'high')] })
const put = endpoint('PATCH /things/{thingId}', {
  path: { thingId: text({ length: [1, 9] }) },
  query: { on: day({ from: '+1d', optional: true }) },
  body: record({ note: text(), tags: list(text({ length: [1, 9] })), password: text({ length: [8, 99] }), size: integer({ default: 1 }) }),
})
const post = endpoint('POST /things', {
  body: record({ from: integer(), until: integer({ optional: true }), spans: table(span, { length: [0, 9], optional: true }) }),
  rules: (on) => [on.ascending('body.from', 'body.until', { status: 499 })],
})
export default intake({ endpoints: { put, post } })
`
  const folder = new Folder({
    'intake.ts': careless,
    'b.md': http(
      'POST /things HTTP/1.1\nContent-Type: application/json\n\n{"from":1,"spans":{"a":{"low":2,"high":1}}}',
    ),
  })
  const { status, stdout } = folder.yosei(['advise', 'intake.ts', '--samples', 'b.md', '--format', 'json'])
  expect(status).toBe(1)
  expect(
    JSON.parse(stdout).advice.map(
      ({ name, address, line }: { name: string; address: string; line: number }) => `${name} ${address} ${line}`,
    ),
  ).toEqual([
    'open_identifier path.thingId 4',
    'unclear_day query.on 5',
    'unbounded body.note 6',
    'unbounded body.tags 6',
    'told_secret body.password 6',
    'patched_default body.size 6',
    'waiting_rule body.until 9',
    'odd_status body.until 9',
    'untripped body.until 9',
  ])
  expect(folder.yosei(['advise', 'intake.ts']).stdout).toMatch(
    /body\.note has no greatest length[\s\S]*Give it a length[\s\S]*intake\.ts:6:18 {2}\(because: \{ unbounded: 'the reason' \} keeps it quiet\)\n.*\n +\^\^\^\^/,
  )
  folder.write(
    'intake.ts',
    careless
      .replace('note: text()', "note: text({ because: { unbounded: 'cut by the proxy' } })")
      .replace(
        '\n  rules: (on) =>',
        "\n  because: { waiting_rule: 'open', odd_status: 'theirs', untripped: 'soon' },\n  rules: (on) =>",
      ),
  )
  expect(
    JSON.parse(folder.yosei(['advise', 'intake.ts', '--samples', 'b.md', '--format', 'json']).stdout).advice.map(
      ({ name }: { name: string }) => name,
    ),
  ).not.toEqual(expect.arrayContaining(['waiting_rule']))
  expect(folder.yosei(['advise', 'intake.ts']).stdout).not.toContain('body.note')
  folder.remove()
  expect(yosei(['advise', 'examples/observatory/intake.ts'])).toMatchObject({
    status: 0,
    stdout: 'no advice: a careful colleague would have nothing to say\n',
  })
})

test('show draws all endpoints as a table, and one as a sheet', () => {
  const { stdout: table } = yosei(['show', 'examples/observatory/intake.ts'])
  expect(table).toMatch(
    /^Observatory 1\n\nendpoint +request +fields +rules +title\n[\s\S]*bookSession +POST \/telescopes\/\{telescopeId\}\/sessions +\d+ +4 {2}Book/,
  )
  const { stdout: sheet } = yosei(['show', 'examples/observatory/intake.ts', 'bookSession'])
  for (const told of [
    /^bookSession {2}POST/,
    /seconds +number +required +above 0, max 3600, step 0\.5/,
    /mode = survey/,
    /closes must come after opens/,
    /doorCode +text, secret +optional/,
    /booked asks about .*else 409 night_booked/,
    /\n {2}429 {2}header\n/,
  ])
    expect(sheet).toMatch(told)
  expect(`${table}${sheet}`.split('\n').filter((line) => line.length > 100)).toEqual([])
  expect(yosei(['show', 'examples/observatory/intake.ts', '--code'])).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('--code is of one endpoint'),
  })
})

test('the package spares arguments, and what is used of it is said', () => {
  const settings = (yosei: unknown) => ({
    'package.json': JSON.stringify({ yosei }),
    'src/intake.ts': intake,
    'samples/b.md': `${good}${verdict('accepted')}`,
    'deep/x': '',
  })
  const folder = new Folder(settings({ intake: 'src/intake.ts', samples: 'samples' }))
  expect(folder.yosei(['check'])).toMatchObject({
    status: 0,
    stdout: expect.stringContaining('1 as expected'),
    stderr: 'from package.json: intake src/intake.ts, samples samples\n',
  })
  expect(yosei(['check'], { cwd: join(folder.cwd, 'deep') })).toMatchObject({
    status: 0,
    stderr: 'from ../package.json: intake ../src/intake.ts, samples ../samples\n',
  })
  expect(folder.yosei(['show']).stdout).toContain('PUT /things/{id}')
  folder.remove()
  for (const [odd, told] of [
    [{ intakes: 'a' }, /"yosei" has no setting intakes; it has intake, samples, services/],
    ['a', /"yosei" is no object/],
    [{ intake: 1 }, /a setting of "yosei" is no path/],
    [{ intake: 'src/intake.ts' }, /no samples are named/],
  ] as const)
    expect(yoseiWith(settings(odd), ['check'])).toMatchObject({
      status: 2,
      stdout: '',
      stderr: expect.stringMatching(told),
    })
})

test('usage errors name what was meant; completion, versions and closed pipes', () => {
  expect(yosei(['chekc'])).toMatchObject({ status: 2, stderr: expect.stringContaining('Did you mean check?') })
  expect(yosei(['check', 'a', 'b', '--quite'])).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('Did you mean --quiet?'),
  })
  expect(yosei(['--version'])).toMatchObject({ status: 0, stdout: '0.1.0\n' })
  const { stdout: help } = yosei(['--help'])
  const commands = [...help.matchAll(/^ {2}(\w+) /gm)]
    .map(([, name]) => name as string)
    .filter((name) => name !== 'help')
  expect(commands).toEqual([
    'check',
    'show',
    'tally',
    'try',
    'send',
    'probe',
    'compare',
    'export',
    'prepare',
    'advise',
    'adopt',
    'desk',
    'front',
    'explain',
    'completion',
  ])
  for (const shell of ['bash', 'zsh', 'fish']) {
    const { stdout } = yosei(['completion', shell])
    expect(commands.filter((command) => !stdout.includes(command))).toEqual([])
  }
  expect(yosei(['completion', 'csh'])).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('write bash, zsh, fish'),
  })
  const completed = execFileSync(
    'bash',
    [
      '-c',
      `source <(node packages/yosei-cli/bin/yosei.js completion bash); COMP_WORDS=(yosei check --fo); COMP_CWORD=2; _yosei; echo "\${COMPREPLY[@]}"`,
    ],
    { cwd: root, encoding: 'utf8' },
  )
  expect(completed.trim()).toBe('--format')
  for (const command of [
    'check',
    'try',
    'send',
    'probe',
    'compare',
    'export',
    'advise',
    'tally',
    'show',
    'explain',
    'completion',
  ])
    expect(yosei([command, '--help']).stdout).toContain('Example: ')
  expect(
    execFileSync('bash', ['-c', `node packages/yosei-cli/bin/yosei.js check ${observatory.join(' ')} | head -1`], {
      cwd: root,
      encoding: 'utf8',
    }),
  ).toContain('add-an-observer.md')
})
