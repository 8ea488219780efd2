/** The command `export`, as a process. */
import { afterAll, expect, test } from '@jest/globals'
import { parse } from 'yaml'
import { Folder } from './run.ts'

const intake = `import { endpoint, intake, integer, record, text } from 'yosei'
const add = endpoint('POST /loans', { body: record({ member: text({ length: [1, 9] }), days: integer({ min: 1, max: 9 }) }) })
export default intake({ title: 'Library', endpoints: { add } })
`
const folder = new Folder({ 'intake.ts': intake })
afterAll(() => folder.remove())

test.each<[args: string[], status: number, stdout: RegExp, stderr?: RegExp]>([
  [['-o', 'api.yaml'], 0, /^api\.yaml is written\.\n$/],
  [['--check', 'api.yaml'], 0, /^api\.yaml is up to date\.\n$/],
  [['--to', 'openapi-3.0', '-o', 'api.json'], 0, /^api\.json is written\.\n$/],
  [['--to', 'openapi-3.0', '--check', 'api.json'], 0, /up to date/],
  [
    ['--to', 'json-schema'],
    0,
    /^\{\n {2}"\$schema": "https:\/\/json-schema\.org\/draft\/2020-12\/schema",\n {2}"\$defs": \{\n {4}"add": \{/,
  ],
  [['--yaml'], 0, /^openapi: 3\.1\.0\ninfo:\n {2}title: Library\n/],
  [['--check', 'none.yaml'], 2, /^$/, /^yosei: none\.yaml: ENOENT.*; write it with -o none\.yaml\n$/],
  [['-o', 'none/api.yaml'], 2, /^$/, /^yosei: none\/api\.yaml: ENOENT/],
  [['--to', 'prose'], 2, /^$/, /Allowed choices are openapi, openapi-3\.0, json-schema/],
])('export %j', (args, status, stdout, stderr = /^$/) => {
  const came = folder.yosei(['export', 'intake.ts', ...args])
  expect(came).toMatchObject({ status, stdout: expect.stringMatching(stdout), stderr: expect.stringMatching(stderr) })
})

test('what is written is the description; a stale file is shown with its difference', () => {
  const { paths } = parse(folder.read('api.yaml')) as { paths: { [path: string]: { post: { operationId: string } } } }
  expect(paths['/loans']?.post.operationId).toBe('add')
  expect(JSON.parse(folder.read('api.json'))).toMatchObject({ openapi: '3.0.4', info: { title: 'Library' } })
  folder.write('intake.ts', intake.replace('max: 9', 'max: 30'))
  const { status, stdout } = folder.yosei(['export', 'intake.ts', '--check', 'api.yaml'])
  expect([status, stdout]).toEqual([
    1,
    expect.stringMatching(/^api\.yaml is stale:\n-( +)maximum: 9\n\+\1maximum: 30\n/),
  ])
})
