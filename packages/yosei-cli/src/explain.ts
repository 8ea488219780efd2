/** What a code means: what trips it, its words, its status, and an example. */
import { distance } from 'fastest-levenshtein'
import { type CodeReference, codes } from 'yosei/codes'
import { Failure } from './failure.js'
import { pc, wrap } from './terminal.js'

const all = Object.values(codes)

/** @throws Failure if there is no such code. */
export function explain(code: string | undefined, { format }: { readonly format: string }): string {
  const found = code === undefined ? all : [codeOf(code)]
  if (format === 'json') return JSON.stringify(code === undefined ? found : found[0], null, 2)
  return code === undefined ? table() : found.map(sheet).join('\n\n')
}

function codeOf(code: string): CodeReference {
  const found = all.find((one) => one.code === code)
  if (found) return found
  const [near] = Object.keys(codes).sort((a, b) => distance(code, a) - distance(code, b))
  throw new Failure(`there is no code ${code}; perhaps it is ${near}. yosei explain lists all codes`)
}

const plain = (text: string) => text.replaceAll('`', '')
/** The width of the first column. */
const codeWidth = Math.max(...all.map(({ code }) => code.length)) + 2

/** A text behind a head, on as many lines as it needs. */
const under = (head: string, text: string, indent: number) =>
  wrap(text, indent).map((line, index) => `${index === 0 ? head : ' '.repeat(indent)}${line}`)

const table = () =>
  all.flatMap(({ code, when }) => under(pc.cyan(code.padEnd(codeWidth)), plain(when), codeWidth)).join('\n')

function sheet({ code, when, from, status, words, example }: CodeReference): string {
  const row = (name: string, texts: readonly string[]) =>
    texts.flatMap((text, index) => under(pc.gray((index === 0 ? name : '').padEnd(10)), text, 10))
  const said = Object.entries(words).flatMap(([language, texts]) => row(language, [...new Set(Object.values(texts))]))
  const shown = example
    ? [
        '',
        ...row('example', [example.declared]),
        ...row('', [`${example.good}  ${pc.green('passes')}`, `${example.bad}  ${pc.red(code)}: ${example.message}`]),
      ]
    : []
  return [
    pc.bold(code),
    ...wrap(plain(when), 0),
    '',
    ...row('from', [plain(from)]),
    ...row('status', [status]),
    ...said,
    ...shown,
  ].join('\n')
}
