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
  [['-o', 'made/api.yaml'], 0, /^made\/api\.yaml is written\.\n$/],
  [['-o', 'intake.ts/api.yaml'], 2, /^$/, /^yosei: intake\.ts\/api\.yaml: (?:ENOTDIR|EEXIST)/],
  [['--to', 'prose'], 2, /^$/, /Allowed choices are openapi, openapi-3\.0, json-schema/],
])('export %j', (args, status, stdout, stderr = /^$/) => {
  const came = folder.yosei(['export', 'intake.ts', ...args])
  expect(came).toMatchObject({ status, stdout: expect.stringMatching(stdout), stderr: expect.stringMatching(stderr) })
})

test.each<[args: string[], status: number, stdout: RegExp, stderr?: RegExp]>([
  [['-o', 'intake.prepared.mjs'], 0, /^intake\.prepared\.mjs is written: the code of 1 endpoint\.\n$/],
  [['-o', 'made/intake.prepared.ts'], 0, /^made\/intake\.prepared\.ts is written/],
  [[], 2, /^$/, /required option '-o, --out <file>' not specified/],
  [['-o', 'intake.ts'], 2, /^$/, /^yosei: intake\.ts: this is the intake itself; name another file\n$/],
  [['-o', 'a.json'], 2, /^$/, /^yosei: a\.json: this is no module; name one such as intake\.prepared\.ts\n$/],
  [['-o', 'intake.ts/a.ts'], 2, /^$/, /^yosei: intake\.ts\/a\.ts: (?:ENOTDIR|EEXIST)/],
])('prepare %j', (args, status, stdout, stderr = /^$/) => {
  const came = folder.yosei(['prepare', 'intake.ts', ...args])
  expect(came).toMatchObject({ status, stdout: expect.stringMatching(stdout), stderr: expect.stringMatching(stderr) })
})
test('prepared code says which command makes it again', () => {
  const [, command] = /command: "(.*?)"/.exec(folder.read('made/intake.prepared.ts')) ?? []
  expect(command).toBe('yosei prepare intake.ts -o made/intake.prepared.ts')
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

test.each<[args: string[], status: number, stdout: RegExp, stderr?: RegExp]>([
  [['show', 'api.yaml', 'add'], 0, /^add {2}POST \/loans\n(?:.*\n)*.*days +number +required +min 1, max 9, whole/],
  [
    ['try', 'api.yaml', 'POST', '/loans', '--with', 'body.days=10'],
    1,
    /^422 +add\n +body\.days must be at most 9; 10 was sent/m,
  ],
  [['probe', 'api.yaml'], 0, /all as they must be/],
  [['compare', 'api.yaml', 'api.yaml'], 0, /no request was found/],
  [['check', 'api.yaml', 'book.md'], 0, /1 samples?: 0 accepted, 1 rejected, 1 as expected/],
  [['show', 'split.json', 'add'], 0, /days +number/, /^split\.json: \/paths\/~1loans\/get\/requestBody: a body of GET/],
  [
    ['show', 'lost.yaml'],
    2,
    /^$/,
    /^yosei: lost\.yaml: \/paths\/~1a\/get\/parameters\/0: the reference #\/b leads nowhere/,
  ],
  [['show', 'broken.json'], 2, /^$/, /^yosei: broken\.json: could not be read as JSON or YAML: /],
  [
    ['show', 'other.json'],
    2,
    /^$/,
    /^yosei: other\.json: this is no description of OpenAPI 3\.1 or 3\.0, but an object/,
  ],
  [['show', 'circle.yaml'], 2, /^$/, /^yosei: circle\.yaml: could not be read as JSON or YAML: an alias leads back/],
  [['show', 'none.yml'], 2, /^$/, /^yosei: none\.yml: there is no such file/],
])('a description in the place of an intake: %j', (args, status, stdout, stderr = /^$/) => {
  const { paths } = JSON.parse(described) as { paths: { '/loans': object } }
  folder.write('api.yaml', described)
  folder.write('parts.json', described)
  folder.write(
    'split.json',
    JSON.stringify({
      openapi: '3.1.0',
      info: {},
      paths: { '/loans': { $ref: 'parts.json#/paths/~1loans', get: { requestBody: {} } } },
    }),
  )
  folder.write('lost.yaml', 'openapi: 3.1.0\ninfo: {}\npaths: { /a: { get: { parameters: [{ $ref: "#/b" }] } } }\n')
  folder.write('circle.yaml', 'openapi: 3.1.0\ninfo: &a { title: x, of: *a }\n')
  folder.write('broken.json', '{')
  folder.write('other.json', JSON.stringify({ paths }))
  folder.write(
    'book.md',
    '# Loans\n\n```http\nPOST /loans HTTP/1.1\nContent-Type: application/json\n\n{"member":"a"}\n```\n\n```verdict\n422\nbody.days missing\n```\n',
  )
  const came = folder.yosei(args)
  expect(came).toMatchObject({ status, stdout: expect.stringMatching(stdout), stderr: expect.stringMatching(stderr) })
})
const described = JSON.stringify({
  openapi: '3.1.0',
  info: { title: 'Library', version: '1' },
  paths: {
    '/loans': {
      post: {
        operationId: 'add',
        requestBody: {
          required: true,
          content: {
            'application/json': {
              schema: {
                type: 'object',
                properties: { member: { type: 'string' }, days: { type: 'integer', minimum: 1, maximum: 9 } },
                required: ['member', 'days'],
              },
            },
          },
        },
      },
    },
  },
})
