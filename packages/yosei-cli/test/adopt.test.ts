/** The command `adopt`, as a process. */
import { afterAll, expect, test } from '@jest/globals'
import { Folder } from './run.ts'

const api = `openapi: 3.1.0
info: { title: Library, version: '1' }
paths:
  /loans:
    post:
      operationId: addLoan
      summary: Lend a book
      tags: [Loans]
      requestBody: { required: true, content: { application/json: { schema: { $ref: 'schemas.json#/Loan' } } } }
    get: { operationId: listLoans, tags: [Loans], requestBody: {} }
  /members/{member}:
    get: { operationId: showMember, parameters: [{ name: member, in: path, required: true, schema: { type: integer } }] }
`
const schemas = {
  Loan: {
    type: 'object',
    required: ['member', 'days'],
    properties: { member: { type: 'string', minLength: 1 }, days: { type: 'integer', minimum: 1, maximum: 9 } },
  },
}
const folder = new Folder({ 'api.yaml': api, 'schemas.json': JSON.stringify(schemas), 'other.json': '{}' })
afterAll(() => folder.remove())

const note =
  /^api\.yaml: \/paths\/~1loans\/get\/requestBody: a body of GET, which has no meaning\. It is not accepted\.\n$/
test.each<[args: string[], status: number, stdout: RegExp, stderr?: RegExp]>([
  [['api.yaml', '-o', 'made/intake.ts'], 0, /^made\/intake\.ts is written\.\n$/, note],
  [
    ['api.yaml', '-o', 'made/intake.ts'],
    2,
    /^$/,
    /^yosei: made\/intake\.ts is there already: name another place with -o, or remove it\n$/,
  ],
  [['api.yaml', '--by-tag', '-o', 'tagged'], 0, /^tagged has 3 modules now\.\n$/, note],
  [
    ['api.yaml'],
    0,
    /^\/\*\*\n \* Adopted from the OpenAPI description Library 1\.\n(?:.*\n)*\/\*\* Lend a book \*\/\nexport const addLoan = endpoint\('POST \/loans', \{\n {2}title/,
    note,
  ],
  [['api.yaml', '--by-tag'], 2, /^$/, /^yosei: --by-tag writes several modules: name their folder with -o\n$/],
  [
    ['intake.ts'],
    2,
    /^$/,
    /^yosei: intake\.ts: this is no OpenAPI description; name a file that ends in \.json, \.yaml or \.yml\n$/,
  ],
  [['none.yaml'], 2, /^$/, /^yosei: none\.yaml: there is no such file; name the description of your API\n$/],
  [
    ['other.json'],
    2,
    /^$/,
    /^yosei: other\.json: this is no description of OpenAPI 3\.1 or 3\.0, but an object\. Give it/,
  ],
  [['api.yaml', '-o', 'other.json/intake.ts'], 2, /^$/, /^yosei: other\.json\/intake\.ts: (?:ENOTDIR|EEXIST)/],
])('adopt %j', (args, status, stdout, stderr = /^$/) => {
  const came = folder.yosei(['adopt', ...args])
  const told = expect.stringMatching(stderr)
  expect(came).toMatchObject({
    status,
    stdout: expect.stringMatching(stdout),
    ...(status === 0 ? { stderr: told } : {}),
  })
  if (status !== 0) expect(came.stderr.replace(/^api\.yaml: .*\n/, '')).toEqual(told)
})

test.each(['made/intake.ts', 'tagged/intake.ts'])('%s judges as the description does', (module) => {
  const args = ['POST', '/loans', '--with', 'body.days=10']
  const [own, again] = ['api.yaml', module].map((intake) => {
    const { status, stdout } = folder.yosei(['try', intake, ...args])
    return { status, stdout: stdout.replace(/urn:uuid:[-0-9a-f]+/, 'urn:uuid:') }
  })
  expect(again).toEqual({ ...own, status: 1 })
  expect(own?.stdout).toMatch(/body\.days must be at most 9; 10 was sent/)
})

test('a module of JavaScript has no types', () => {
  folder.write(
    'tree.json',
    JSON.stringify({
      openapi: '3.1.0',
      info: { title: 'Trees' },
      paths: {
        '/trees': {
          post: { requestBody: { content: { 'application/json': { schema: { $ref: '#/components/schemas/Tree' } } } } },
        },
      },
      components: {
        schemas: {
          Tree: {
            type: 'object',
            properties: { parts: { type: 'array', items: { $ref: '#/components/schemas/Tree' } } },
          },
        },
      },
    }),
  )
  folder.yosei(['adopt', 'tree.json', '-o', 'tree.js'])
  expect(folder.read('tree.js')).toContain('export const tree = record({\n  parts: list(')
  expect(
    folder.yosei([
      'try',
      'tree.js',
      'POST',
      '/trees',
      '--body',
      '{"parts":[{"parts":5}]}',
      '--header',
      'Content-Type: application/json',
    ]).stdout,
  ).toMatch(/body\.parts\[0\]\.parts must be a list/)
})

test('a module is formatted as others there', () => {
  folder.write('styled/.prettierrc', '{ "semi": true, "singleQuote": false }')
  folder.yosei(['adopt', 'api.yaml', '-o', 'styled/intake.ts'])
  expect(folder.read('styled/intake.ts')).toContain(
    'import { endpoint, intake, integer, number, record, text } from "yosei";\n',
  )
  expect(folder.read('tagged/loans.ts')).toBe(`import { endpoint } from 'yosei'
import { loan } from './fields.js'

/** Lend a book */
export const addLoan = endpoint('POST /loans', {
  title: 'Lend a book',
  tags: ['Loans'],
  body: loan,
})

export const listLoans = endpoint('GET /loans', { tags: ['Loans'] })
`)
})
