/** Nothing that can be declared goes without the tests and pages that all the others have. */
import { readFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { expect, test } from '@jest/globals'
import * as yosei from 'yosei'
import { type Endpoint, outline } from 'yosei'
import * as page from 'yosei/page'
import {
  conditionsInService,
  everyKind,
  formats,
  rulesInService,
  statusRows,
  usualStatuses,
} from '../dist/internals.js'
import * as lean from '../dist/page-lean.js'

const here = dirname(fileURLToPath(import.meta.url))
const read = (file: string) => readFileSync(join(here, file), 'utf8')
const words = read('words.txt')
const [rules, conditions] = [Object.keys(rulesInService), Object.keys(conditionsInService)]
/** What declares each kind. */
const kinds = Object.keys(everyKind).map((kind) => (kind === 'schema' ? 'readJsonSchema' : kind))
const isCalled = (name: string) => new RegExp(`\\bon\\.${name}\\(`)
const isCalledByItself = (name: string) => new RegExp(`\\b(?<!\\.)${name}\\(`)
const isNamed = (name: string) => new RegExp(`'${name}'`)
const isShown = (name: string) => new RegExp(`\\b${name}\\b`)

test.each<[what: string, text: string, names: readonly string[], (name: string) => RegExp]>([
  ['words of each rule', words, rules, isCalled],
  ['words of each condition', words, conditions, isCalled],
  // A union has no word of its own but for what it takes.
  ['words of each kind', words, kinds.filter((kind) => kind !== 'later'), isCalledByItself],
  ['both engines with each rule', read('rules-engine.test.ts'), rules, isCalled],
  ['both engines with each condition', read('rules-engine.test.ts'), conditions, isCalled],
  // Of rules with functions of their own it has `check`; what a client accepts is no value.
  [
    'the oracle with each rule',
    read('oracle-cases.ts'),
    rules.filter((rule) => rule !== 'fill' && rule !== 'find'),
    isNamed,
  ],
  ['the oracle with each condition', read('oracle-cases.ts'), conditions.filter((one) => one !== 'accepts'), isNamed],
  ['the page of each rule', read('../../../docs/rules.md'), rules, isShown],
  ['the page of each condition', read('../../../docs/rules.md'), conditions, isShown],
  ['the page of each format', read('../../../docs/fields.md'), Object.keys(formats), isShown],
  ['the page of each kind', read('../../../docs/fields.md'), kinds, isCalledByItself],
])('%s', (_, text, names, isThere) => {
  expect(names.filter((name) => !isThere(name).test(text))).toEqual([])
})

test('a page can bring each rule and each format', () => {
  expect(rules.filter((rule) => !(rule in page))).toEqual([])
  const exported = Object.keys(formats).map(
    (name) => `${name.replace(/-(\w)/g, (_, one: string) => one.toUpperCase())}Format`,
  )
  expect(exported.filter((name) => !(name in lean))).toEqual([])
})
test('each header field of a rejection stands in the table of answers, with its status', () => {
  const table = read('http.test.ts')
  const rows = Object.entries(statusRows).flatMap(([name, rows]) =>
    rows.flatMap(([, , headers]) =>
      [...headers.matchAll(/`([A-Za-z-]+)/g)].map(
        ([, header]) => `${usualStatuses[name as keyof typeof usualStatuses]} ${header?.toLowerCase()}`,
      ),
    ),
  )
  const isThere = (row: string) => new RegExp(`'${row.replace(' ', "\\|[^'\\n]*\\b")}=`).test(table)
  expect(rows.length).toBeGreaterThan(10)
  // A disk that is full stands in attack.test.ts: no message fills one.
  expect([...new Set(rows)].filter((row) => !isThere(row))).toEqual(['503 connection'])
})

test('the outline has a sentence for each rule of the words, in plain words', () => {
  const value = (source: string) => new Function(...Object.keys(yosei), `return (${source})`)(...Object.values(yosei))
  const declared = [...words.matchAll(/^parts ¦ (.*rules: .*) ¦ .*$/gm)].map(
    ([, source]) => value(source as string) as Endpoint,
  )
  const sentences = declared.flatMap((one) => outline(one).rules)
  expect([...new Set(sentences.map(({ rule }) => rule))].sort()).toEqual([...rules].sort())
  for (const { words } of sentences) expect(words).toMatch(/^(?:body|query)\S* (?:and \S+ )?[a-z][^{}]+$/)
})
