/** The prose of the pages, the help and the messages is plain: no phrase of the list, and sentences of under 30 words. */
import { execFileSync } from 'node:child_process'
import { readdirSync, readFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { expect, test } from '@jest/globals'
import MarkdownIt from 'markdown-it'
import { shipped } from '../packages/yosei/dist/internals.js'
import { phrases } from './phrases.ts'

const root = join(dirname(fileURLToPath(import.meta.url)), '..')
const pages = [
  'README.md',
  'CONTRIBUTING.md',
  'packages/yosei/README.md',
  'packages/yosei-cli/README.md',
  'packages/yosei-desk/README.md',
  'examples/observatory/README.md',
  ...readdirSync(join(root, 'docs')).flatMap((name) => (name.endsWith('.md') ? [`docs/${name}`] : [])),
]

const mostWords = 29

/** Sentences of a page: of paragraphs, items and cells of tables, without code, links' targets and pictures. */
function sentencesOf(page: string): string[] {
  const tokens = new MarkdownIt().parse(readFileSync(join(root, page), 'utf8'), {})
  return tokens.flatMap(({ type, children }) => {
    if (type !== 'inline') return []
    const text = (children ?? []).map((child) =>
      child.type === 'code_inline'
        ? 'code'
        : child.type === 'image'
          ? ''
          : child.type === 'softbreak'
            ? ' '
            : child.content,
    )
    return text.join('').split(/(?<=[.?!:;])\s+(?=[A-Z“]|code\b)/)
  })
}
const count = (sentence: string) => sentence.split(/\s+/).filter((word) => /\w/.test(word)).length

test.each(pages)('%s is plain', (page) => {
  const sentences = sentencesOf(page)
  expect(sentences.filter((sentence) => phrases.test(sentence))).toEqual([])
  expect(sentences.filter((sentence) => count(sentence) > mostWords).map((one) => `${count(one)}: ${one}`)).toEqual([])
})

test('messages are plain', () => {
  expect(
    Object.entries(shipped.en as { readonly [key: string]: string }).filter(([, words]) => phrases.test(words)),
  ).toEqual([])
})

test.each(['', 'show', 'try', 'check', 'probe', 'send', 'compare', 'desk', 'advise', 'tally'])(
  'help of yosei %s is plain',
  (command) => {
    const help = execFileSync(
      process.execPath,
      [join(root, 'packages/yosei-cli/bin/yosei.js'), ...(command ? [command] : []), '--help'],
      { encoding: 'utf8' },
    )
    expect(help.split('\n').filter((line) => phrases.test(line))).toEqual([])
  },
)
