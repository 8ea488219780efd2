/** What `check` takes, writes and prints besides: its options, each as a process. */
import { once } from 'node:events'
import { setTimeout as sleep } from 'node:timers/promises'
import { expect, test } from '@jest/globals'
import { Folder, http, intake, put, starting, verdict, yoseiWith } from './run.ts'

const good = http(`${put}{"at":"a"}`)
const bad = http(`${put}{"at":1}`)

const counts = (stdout: string) => /^\d+ samples?: .*$/m.exec(stdout)?.[0]
test('takes a message, requests in lines, and what a browser has recorded', () => {
  const message = `${put}{"a.b": [{ "n": "x" }]}`
  const har = {
    log: {
      version: '1.2',
      entries: [
        {
          startedDateTime: '2031-03-01T12:00:00Z',
          request: {
            method: 'PUT',
            url: 'https://kr.example/things/1?q=x',
            headers: [
              { name: ':authority', value: 'kr.example' },
              { name: 'Team', value: 'red' },
              { name: 'Content-Length', value: '99' },
            ],
            postData: { mimeType: 'application/json', text: '{}' },
          },
        },
      ],
    },
  }
  const lines = [
    { method: 'PUT', target: '/things/1', headers: { Team: 'red' }, body: { at: 'a' } },
    {
      method: 'PUT',
      target: '/things/x',
      headers: [
        ['team', 'red'],
        ['content-type', 'application/json'],
      ],
      body: '{}',
    },
  ]
  const files = {
    'intake.ts': intake,
    'a.ndjson': lines.map((one) => `${JSON.stringify(one)}\n`).join(''),
    'a.har': JSON.stringify(har, null, 2),
  }
  const { status, stdout } = yoseiWith(files, ['check', 'intake.ts', '-', 'a.ndjson', 'a.har'], { input: message })
  expect(status).toBe(0)
  expect(counts(stdout)).toBe(
    '4 samples: 1 accepted, 3 rejected, 0 as expected, 4 without expectation, 0 not as expected',
  )
  expect(stdout).toContain(
    'standard input:5:17\n                {"a.b": [{ "n": "x" }]}\n                                ^^^',
  )
  expect(stdout).toMatch(/path\.id must be a whole number; "x" was sent\n +a\.ndjson:2:1/)
  expect(stdout).toMatch(
    /query\.q must be a whole number; "x" was sent\n +a\.har:5:7\n +PUT \/things\/1\?q=x\n +\^\^\^/,
  )
  for (const [name, content, told] of [
    ['a.har', '{}', /a\.har:1: this is no HAR recording; it has no log\.entries/],
    ['a.har', '{', /a\.har:1: this is no JSON/],
    ['a.har', '{"log":{"entries":[null]}}', /a\.har:1: this entry has no request/],
    [
      'a.har',
      '{"log":{"entries":[\n{"request":{"method":"GET","url":"http://a.example","headers":[{"name":1}]}}]}}',
      /a\.har:2: a header field of this entry has no name/,
    ],
    ['a.ndjson', '{"method":"GET"}', /a\.ndjson:1: this line is no request; write \{"method"/],
    ['a.ndjson', '{"method":"GET","target":"/","headers":[1]}', /its headers are none/],
    ['a.ndjson', '[]', /a\.ndjson:1: this line is no event of a journal, and no request/],
  ] as const)
    expect(yoseiWith({ 'intake.ts': intake, [name]: content }, ['check', 'intake.ts', name])).toMatchObject({
      status: 2,
      stderr: expect.stringMatching(told),
    })
  expect(yoseiWith({ 'intake.ts': intake }, ['check', 'intake.ts', '-'])).toMatchObject({
    status: 2,
    stderr: expect.stringMatching(/standard input: it is empty/),
  })
  expect(yoseiWith({ 'intake.ts': intake }, ['check', 'intake.ts', '-'], { input: 'PUT' })).toMatchObject({
    status: 2,
    stderr: expect.stringMatching(/^yosei: standard input:1: "PUT" is no request line/),
  })
})
test('writes missing verdicts, or all that differ, and leaves every other byte as it was', () => {
  const crlf = (text: string) => text.replaceAll('\n', '\r\n')
  const page = (first: string, second: string) =>
    crlf(
      `\uFEFF# A\n\n${good}${first}\nsaid  \rtwice\n\n> ${bad.trimEnd().replaceAll('\n', '\n> ')}\n${second}\n${bad}\n${verdict('accepted')}the end`,
    )
  const folder = new Folder({ 'intake.ts': intake, 'b.md': page('', '') })
  expect(folder.yosei(['check', 'intake.ts', 'b.md', './b.md', '--write', '--quiet'])).toMatchObject({
    status: 1,
    stdout: expect.stringContaining('b.md: 2 verdicts written'),
  })
  const once = folder.read('b.md')
  expect(once).toBe(page(`\n${verdict('accepted')}`, '>\n> ```verdict\n> 422\n> body.at wrong_type\n> ```\n'))
  expect(folder.yosei(['check', 'intake.ts', 'b.md', '--write=all'])).toMatchObject({ status: 0 })
  expect(folder.read('b.md')).toBe(
    once.replace('accepted\r\n```\r\nthe end', '422\r\nbody.at wrong_type\r\n```\r\nthe end'),
  )
  expect(folder.yosei(['check', 'intake.ts', 'b.md'])).toMatchObject({
    status: 0,
    stdout: expect.stringContaining('3 as expected, 0 not as expected'),
  })
  folder.remove()
})
test('the line that is marked tells no secret, and no name inside of one', () => {
  const guarded = `import { constant, endpoint, intake, integer, list, record, text } from 'yosei'
export default intake({ endpoints: { put: endpoint('PUT /a/{key}', { path: { key: text({ secret: true }) }, query: { token: text({ secret: true, length: [1, 5] }), n: integer() },
  header: { 'x-key': text({ secret: true, length: [1, 5] }) }, cookie: { sid: text({ length: [1, 3] }) },
  body: record({ pin: text({ secret: true, length: [1, 4] }), n: integer(), rows: list(record({ s: constant('xyzzy', { secret: true }), m: integer() })), who: record({ x: text() }, { secret: true }) }) }) } })
`
  const message = `PUT /a/xyzzy?token=xyzzyxyzzy&n=x HTTP/1.1\nX-Key: xyzzyxyzzy\nCookie: sid=xyzzy\nAuthorization: xyzzy\nContent-Type: application/json\n\n{"pin":"xyzzyxyzzy","n":"q","rows":[{"s":"xyzzy1","m":"z"},{"s":"xyzzy","m":1,"odd":"xyzzy"}],"who":{"xyzzy":1,"x":17}}`
  const folder = new Folder({ 'intake.ts': guarded, 'b.md': http(message) + verdict('accepted') })
  const printed = ['text', 'json', 'junit'].map(
    (format) => folder.yosei(['check', 'intake.ts', 'b.md', '--trace', '--format', format]).stdout,
  )
  const tries = ['text', 'json'].map(
    (format) =>
      folder.yosei([
        'try',
        'intake.ts',
        '--format',
        format,
        'PUT',
        '/a/xyzzy?token=xyzzyxyzzy&n=x',
        '--header',
        'Authorization: xyzzy',
        '--header',
        'Cookie: sid=xyzzy',
        '--with',
        'body.pin=xyzzy',
        '--with',
        'body.rows[0].s=xyzzy',
      ]).stdout,
  )
  // What is recorded has no title of its own: it is made of the request.
  const line = JSON.stringify({
    method: 'PUT',
    target: '/a/xyzzy?token=xyzzyxyzzy&n=1',
    headers: { 'x-key': 'xyzzyxyzzy' },
    body: '{}',
  })
  const har = {
    log: {
      entries: [
        {
          startedDateTime: '2031-03-01T12:00:00Z',
          request: { method: 'PUT', url: 'https://kr.example/a/xyzzy?token=xyzzyxyzzy', headers: [] },
          response: { status: 200 },
        },
      ],
    },
  }
  folder.write('r.ndjson', `${line}\n`)
  folder.write('r.har', JSON.stringify(har))
  const recorded = ['r.ndjson', 'r.har'].flatMap((file) =>
    ['text', 'json', 'junit'].map((format) => folder.yosei(['check', 'intake.ts', file, '--format', format]).stdout),
  )
  for (const one of recorded) expect(one).toContain('PUT /a/(secret)')
  folder.write(
    'after.ts',
    guarded
      .replaceAll('integer()', 'integer({ max: 0 })')
      .replace('length: [1, 4]', 'length: [2, 3]')
      .replaceAll("'xyzzy'", "'xyzzy2'"),
  )
  const compared = ['text', 'json'].map(
    (format) => folder.yosei(['compare', 'intake.ts', 'after.ts', '--format', format]).stdout,
  )
  expect(compared[1]).toContain('"method": "PUT"')
  const probed = ['probe', 'show', 'advise'].map((command) => folder.yosei([command, 'intake.ts']).stdout)
  folder.remove()
  for (const text of [...printed, ...tries, ...recorded, ...compared, ...probed]) expect(text).not.toContain('xyzzy')
  const [text = ''] = printed
  expect(text).toContain('PUT /a/(secret)?token=(secret)&n=x\n                                               ^^^')
  expect(text).toContain('"n":"q","rows":[{"s":(secret),"m":"z"},{"s":(secret),"m":1,"odd"')
  expect(text).toContain('x-key: (secret)\n                       ^^^^^^^^')
})

test('only some, quietly, as a report for build servers, with what was read', () => {
  const files = {
    'intake.ts': intake,
    'b.md': `# Fine <&>\n${good}${verdict('accepted')}# Odd\n${bad}${verdict('accepted')}# Open\n${bad}`,
  }
  const folder = new Folder(files)
  const run = (...more: string[]) => folder.yosei(['check', 'intake.ts', 'b.md', ...more])
  expect(run('--only', 'odd').stdout).toContain('1 sample: 0 accepted, 1 rejected, 0 as expected, 1 not as expected')
  expect(run('--only', '422').stdout).toContain('2 samples')
  expect(run('--only', 'put').stdout).toContain('3 samples')
  const { stdout } = run('--quiet')
  expect(stdout).toContain('≠ 422       Odd')
  expect(stdout).not.toMatch(/Fine|Open/)
  const { stdout: report, status } = run('--format', 'junit')
  expect(status).toBe(1)
  expect(report).toContain('<testsuite name="yosei check" tests="3" failures="1" skipped="1">')
  expect(report).toContain('<testcase classname="b.md" name="Fine &lt;&amp;&gt;" file="b.md" line="3"/>')
  expect(report).toMatch(
    /<failure message="wanted accepted, but it came 422">b\.md:\d+\nwanted accepted, but it came 422\ncame:\nbody\.at wrong_type: must be text; 1 was sent<\/failure>/,
  )
  const traced = run('--trace', '--only', 'fine').stdout
  expect(traced).toMatch(/path\.id +"1" +→ 1 +from text/)
  expect(traced).toMatch(/passed +shape/)
  folder.remove()
})
test('says what no sample has tripped, and fails below a share', () => {
  const files = {
    'intake.ts': intake,
    'b.md': `${bad}${http('PUT /things/1 HTTP/1.1\nContent-Type: application/json\n\n{"a.b":[{}]}')}`,
  }
  const folder = new Folder(files)
  const run = (...more: string[]) => folder.yosei(['check', 'intake.ts', 'b.md', '--coverage', ...more])
  expect(run()).toMatchObject({
    status: 0,
    stdout: expect.stringMatching(
      /put {2}█+\S* +67 % {2}4 of 6\n {4}statuses {2}415\n {4}body {2}missing\n\n67 % covered: 4 of 6 limits and rules/,
    ),
  })
  expect(run('--least', '66').status).toBe(0)
  expect(run('--least', '67').status).toBe(1)
  expect(JSON.parse(run('--format', 'json').stdout).coverage).toMatchObject({
    tripped: 4,
    demands: expect.arrayContaining([
      expect.objectContaining({ address: 'body["a.b"][].n', code: 'missing', count: 1 }),
    ]),
  })
  expect(folder.yosei(['check', 'intake.ts', 'b.md', '--least', '60'])).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('say --coverage as well'),
  })
  folder.remove()
})
/** A command that stays until it is ended, and what it prints. */
function watching(args: readonly string[], cwd: string) {
  const child = starting([...args], cwd)
  let stdout = ''
  child.stdout.on('data', (chunk) => (stdout += chunk))
  return {
    async until(told: RegExp) {
      for (let tries = 0; tries < 300 && !told.test(stdout); tries++) await sleep(50)
      expect(stdout).toMatch(told)
      stdout = ''
    },
    async end() {
      child.kill('SIGINT')
      expect(await once(child, 'close')).toEqual([0, null])
    },
  }
}
test('code is prepared again when the intake changes, and not because it was', async () => {
  const folder = new Folder({ 'intake.ts': intake })
  // The name of the intake ends with that of the code.
  const { until, end } = watching(['prepare', 'intake.ts', '-o', 'take.ts', '--watch'], folder.cwd)
  await until(/is written[\s\S]*watching; Ctrl-C ends/)
  const before = folder.read('take.ts')
  await sleep(400)
  await until(/^$/)
  folder.write('intake.ts', intake.replace('at: text(', 'at: integer('))
  await until(/^take\.ts is written: the code of \d+ endpoints?\.\n$/)
  expect(folder.read('take.ts')).not.toBe(before)
  folder.write('intake.ts', 'export default {')
  await until(/intake\.ts:1:\d+: could not be loaded/)
  await end()
  folder.remove()
})
test('judges again when a sample or the intake changes, and says what changed', async () => {
  const folder = new Folder({
    'intake.ts': intake,
    'b.md': `# One\n${good}${verdict('accepted')}# Two\n${good}${verdict('accepted')}`,
  })
  const { until, end } = watching(['check', 'intake.ts', 'b.md', '--watch'], folder.cwd)
  await until(/2 samples: 2 accepted[\s\S]*watching; Ctrl-C ends/)
  await sleep(100)
  folder.write('b.md', `# One\n${good}${verdict('accepted')}# Two\n${bad}${verdict('accepted')}`)
  await until(/^(?![\s\S]*One)[\s\S]*≠ 422 +Two[\s\S]*1 not as expected/)
  folder.write('intake.ts', intake.replace('at: text(', 'at: integer('))
  await until(/One[\s\S]*= accepted +Two/)
  folder.write('intake.ts', 'export default {')
  await until(/intake\.ts:1:\d+: could not be loaded/)
  await end()
  folder.remove()
})
