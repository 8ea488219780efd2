import { spawn, spawnSync } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { gzipSync } from 'node:zlib'
import { afterAll, describe, expect, test } from '@jest/globals'
import { endpoint, intake, integer, list, record, serve, text } from 'yosei'
import { ndjsonJournal } from 'yosei/journal'

const command = join(dirname(fileURLToPath(import.meta.url)), '../bin/yosei.js')
const cwd = mkdtempSync(join(tmpdir(), 'yosei-tally-'))
afterAll(() => rmSync(cwd, { recursive: true }))
const tally = (args: string[], input?: string) => {
  const { status, stdout, stderr } = spawnSync(process.execPath, [command, 'tally', ...args], {
    cwd,
    encoding: 'utf8',
    env: { ...process.env, NO_COLOR: '1' },
    ...(input === undefined ? {} : { input }),
  })
  return { status, stdout, stderr }
}

/** What a service wrote of four requests, at noon of the first four days of March. */
const written: string[] = []
const plan = endpoint('POST /nights', {
  query: { dry: integer({ optional: true }) },
  body: record({ hours: list(integer({ max: 9 })), note: text({ optional: true, length: [0, 3] }) }),
})
const handle = serve(
  intake({ endpoints: { plan }, journal: ndjsonJournal({ write: (line: string) => void written.push(line) }) }),
  {
    plan: () => {
      throw new Error('the dome\nis shut')
    },
  },
)
for (const body of [
  '{"hours":[1,10,30]}',
  '{"hours":[1],"note":"\u009b31mnoise"}',
  '{"hours":[11]}',
  '{"hours":[1]}',
  '{',
])
  await handle(
    new Request('https://kr.example/nights', { method: 'POST', headers: { 'content-type': 'application/json' }, body }),
  )
const events = written.map(
  (line, index) => `${JSON.stringify({ ...JSON.parse(line), time: `2031-03-0${index + 1}T12:00:00.000Z` })}\n`,
)
writeFileSync(join(cwd, 'all.ndjson'), events.join(''))
writeFileSync(join(cwd, 'early.ndjson.gz'), gzipSync(events.slice(0, 2).join('')))
writeFileSync(join(cwd, 'late.ndjson'), `${events.slice(2).join('\r\n')}{"time":"2031`)
const fields = (count: number) =>
  Array.from({ length: count }, (_, index) => ({ address: `body.f${index}`, code: 'x' }))
const changed = (change: object) => `${JSON.stringify({ ...JSON.parse(events[0] ?? ''), ...change })}\n`
writeFileSync(join(cwd, 'many.ndjson'), changed({ errors: fields(10_005) }))
writeFileSync(join(cwd, 'long.ndjson'), changed({ cause: 'x'.repeat(3_000_000) }) + events[1])
writeFileSync(
  join(cwd, 'odd.ndjson'),
  `{}\nnull\n${[{ time: 'x' }, { errors: [null] }, { errors: [{ address: 'body', code: 'x', sent: 1 }] }, { absent: [1] }].map(changed).join('')}`,
)
writeFileSync(join(cwd, 'cut.gz'), gzipSync(events.join('')).subarray(0, 100))

test('tells what callers get wrong most', () => {
  const { status, stdout, stderr } = tally(['all.ndjson'])
  expect({ status, stderr }).toEqual({ status: 0, stderr: '' })
  expect(stdout).toBe(`5 requests with 5 errors

████████████ 3  60.0 %  plan  body.hours[]  above_max
                        2031-03-01 – 2031-03-03  such as "10"
████         1  20.0 %  plan  body  bad_syntax
                        2031-03-05
████         1  20.0 %  plan  body.note  too_long
                        2031-03-02  such as "·31mnoise"

Failures, which were not the callers’
     1  plan 500  last 2031-03-04  the dome

Optional fields that none of these requests sent
     4  plan  query.dry
`)
})

describe('counts', () => {
  const all = ['all.ndjson']
  test.each<[string[], [string, number][], Record<string, unknown>?]>([
    [[...all, '--by', 'endpoint'], [['plan', 5]], { requests: 5, errors: 5, others: 0 }],
    [
      [...all, '--by', 'field'],
      [
        ['plan body.hours[]', 3],
        ['plan body', 1],
        ['plan body.note', 1],
      ],
    ],
    [
      [...all, '--by', 'code', '--top', '2'],
      [
        ['above_max', 3],
        ['bad_syntax', 1],
      ],
    ],
    [
      [...all, '--by', 'status'],
      [
        ['422', 3],
        ['400', 1],
        ['500', 1],
      ],
    ],
    [
      [...all, '--by', 'day', '--since', '2031-03-02T12:00:00Z', '--until', '2031-03-04T12:00:00Z'],
      [
        ['2031-03-02', 1],
        ['2031-03-03', 1],
      ],
    ],
    [
      ['early*.gz', 'early.ndjson.gz'],
      [
        ['plan body.hours[] above_max', 2],
        ['plan body.note too_long', 1],
      ],
      { requests: 2 },
    ],
    [
      ['late.ndjson', '--by', 'day'],
      [
        ['2031-03-03', 1],
        ['2031-03-04', 1],
        ['2031-03-05', 1],
      ],
      { broken: { count: 1, first: expect.stringMatching(/^late\.ndjson:\d$/) } },
    ],
    [['many.ndjson', '--top', '1'], [['plan body.f0 x', 1]], { errors: 10_005, others: 5 }],
    [['long.ndjson'], [['plan body.note too_long', 1]], { requests: 1, broken: { count: 1, first: 'long.ndjson:1' } }],
    [['odd.ndjson'], [], { requests: 0, broken: { count: 6, first: 'odd.ndjson:1' } }],
  ])('%j', (args, rows, rest = {}) => {
    const { status, stdout } = tally([...args, '--format', 'json'])
    const counted = JSON.parse(stdout)
    expect(counted.rows.map(({ key, count }: { key: string[]; count: number }) => [key.join(' '), count])).toEqual(rows)
    expect(counted).toMatchObject(rest)
    expect(status).toBe(0)
  })
})

test('reads standard input, and says where nothing is counted', () => {
  expect(tally(['-', '--by', 'status'], events.join('')).stdout).toMatch(/^5 requests.*\n\n█+ 3 {2}60\.0 % {2}422\n/)
  expect(tally(['-', '--top', '1'], events.join('')).stdout).toMatch(/\n {13}2 {10}in other rows \(--top 1\)\n/)
  expect(tally(['-'], '').stdout).toBe('no events\n')
  expect(tally(['-'], 'x\n'.repeat(2)).stdout).toBe(
    'no events\n\n2 lines are no event, the first at standard input:1\n',
  )
})

test.each<[string[], RegExp]>([
  [['none.ndjson'], /^yosei: none\.ndjson: there is no such file/],
  [['.'], /^yosei: \.: a folder; name the journals in it, such as \.\/\*\.ndjson\n$/],
  [['cut.gz'], /^yosei: cut\.gz: could not be read: unexpected end of file\n$/],
  [['all.ndjson', '--since', 'monday'], /--since.*Write it as 2031-03-01/s],
  [['all.ndjson', '--top', '0'], /--top.*Write a whole number from 1 on/s],
  [['all.ndjson', '--by', 'caller'], /--by.*error, endpoint, field, code, status, day/s],
  [[], /missing required argument 'journals'/],
])('%j cannot run', (args, told) => {
  expect(tally(args)).toEqual({ status: 2, stdout: '', stderr: expect.stringMatching(told) })
})

test('a reader that has seen enough ends it quietly', async () => {
  const child = spawn(process.execPath, [command, 'tally', 'many.ndjson', '--top', '10000'], { cwd })
  child.stdout.destroy()
  let told = ''
  child.stderr.on('data', (chunk) => {
    told += chunk
  })
  expect(await new Promise((resolve) => child.on('close', resolve))).toBe(0)
  expect(told).toBe('')
})
