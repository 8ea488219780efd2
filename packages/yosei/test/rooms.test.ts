/** The rooms of the library: imports go down, from a room to those below it, and never in a circle. */
import { readdirSync, readFileSync } from 'node:fs'
import { dirname, join, normalize } from 'node:path'
import { fileURLToPath } from 'node:url'
import { expect, test } from '@jest/globals'

/** From the bottom to the top: the way of a request, with what it is made of below it. */
const rooms = [
  'terms',
  'catalogue',
  'grammar',
  'kinds',
  'rules',
  'declare',
  'words',
  'read',
  'engine',
  'sound',
  'judge',
  'write',
  'answer',
  'adapt',
  'front',
  'reference',
  'outline',
  'probe',
  'schema',
  'describe',
  '.',
]
const source = join(dirname(fileURLToPath(import.meta.url)), '../src')
const files = readdirSync(source, { recursive: true, encoding: 'utf8' }).filter((file) => file.endsWith('.ts'))
const importsOf = (file: string) =>
  [...readFileSync(join(source, file), 'utf8').matchAll(/(?:from|import)\s*\(?'(\.[^']+)\.js'/g)].map(
    ([, path]) => `${normalize(join(dirname(file), path as string))}.ts`,
  )
const graph = new Map(files.map((file) => [file, importsOf(file)]))

test('every folder is a room, and every import is there', () => {
  expect([...new Set(files.map((file) => dirname(file)))].sort()).toEqual([...rooms].sort())
  expect(
    [...graph].flatMap(([file, imports]) => imports.filter((one) => !graph.has(one)).map((one) => `${file} → ${one}`)),
  ).toEqual([])
})
test('no import goes up', () => {
  const level = (file: string) => rooms.indexOf(dirname(file))
  expect(
    [...graph].flatMap(([file, imports]) =>
      imports.filter((one) => level(one) > level(file)).map((one) => `${file} → ${one}`),
    ),
  ).toEqual([])
})
test('no import goes in a circle', () => {
  const done = new Set<string>()
  const circles: string[] = []
  const look = (file: string, way: readonly string[]): void => {
    if (way.includes(file)) circles.push([...way.slice(way.indexOf(file)), file].join(' → '))
    if (way.includes(file) || done.has(file)) return
    for (const one of graph.get(file) ?? []) look(one, [...way, file])
    done.add(file)
  }
  for (const file of files) look(file, [])
  expect(circles).toEqual([])
})
test('what the platform gives is looked up in the rooms of platforms alone', () => {
  expect(
    files.filter(
      (file) =>
        /from '(?:#|node:)/.test(readFileSync(join(source, file), 'utf8')) &&
        !['adapt', 'front'].includes(dirname(file)),
    ),
  ).toEqual([])
})
test('the declarations that are shipped name their types: written out whole they take a compiler minutes', () => {
  const built = join(source, '../dist')
  const declarations = readdirSync(built, { recursive: true, encoding: 'utf8' }).filter((file) => /\.d\.ts$/.test(file))
  expect(declarations.length).toBeGreaterThan(100)
  const isLong = (file: string) => /.{1000}/.test(readFileSync(join(built, file), 'utf8'))
  expect(declarations.filter(isLong)).toEqual([])
})
test('no function is written as what a property is set to', () => {
  // V8 makes such a function old at once, and all that it closes over with it: name the function first.
  const set =
    /[\w)\]]\??\.#?\w+(?:\[[^\]]+\])? (?:\?\?|\|\|)?= (?:async )?(?:function\b|(?:\([^()]*\)(?:: [^=]+)?|\w+) =>)/g
  expect(files.flatMap((file) => readFileSync(join(source, file), 'utf8').match(set) ?? [])).toEqual([])
})
