/** Each public name, each option, each property of a public type, and each status has its text on hover. */
import { readFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { expect, test } from '@jest/globals'
import ts from 'typescript-5.9'
import { phrases } from '../../../test/phrases.ts'

const root = join(dirname(fileURLToPath(import.meta.url)), '..')
const { exports } = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8')) as {
  exports: { [subpath: string]: { types: string } }
}
const files = Object.values(exports).map(({ types }) =>
  join(root, types.replace('/dist/', '/src/').replace('.d.ts', '.ts')),
)
const program = ts.createProgram(files, {
  strict: true,
  module: ts.ModuleKind.NodeNext,
  moduleResolution: ts.ModuleResolutionKind.NodeNext,
  target: ts.ScriptTarget.ES2022,
  skipLibCheck: true,
  types: ['node'],
  typeRoots: [join(root, '../../node_modules/@types')],
})
const checker = program.getTypeChecker()
const said = (symbol: ts.Symbol) => ts.displayPartsToString(symbol.getDocumentationComment(checker))
const isOurs = (one: ts.Declaration | undefined): one is ts.Declaration =>
  one?.getSourceFile().fileName.startsWith(`${root}/src/`) ?? false

test('each public name and each option has its text on hover, in plain words', () => {
  const seen = new Set<unknown>()
  const silent: string[] = []
  const odd: string[] = []
  const look = (symbol: ts.Symbol, declaration: ts.Declaration | undefined, where: string) => {
    if (!isOurs(declaration) || seen.has(declaration)) return
    seen.add(declaration)
    const text = said(symbol)
    if (text === '') silent.push(where)
    if (phrases.test(text)) odd.push(`${where}: ${text}`)
  }
  const lookInside = (type: ts.Type, where: string) => {
    const parts = type.isUnionOrIntersection() ? type.types : [type]
    for (const part of parts) {
      const whole = part.flags & ts.TypeFlags.TypeParameter ? (checker.getBaseConstraintOfType(part) ?? part) : part
      for (const one of checker.getPropertiesOfType(whole)) look(one, one.declarations?.[0], `${where}.${one.name}`)
    }
  }
  for (const file of files) {
    const source = program.getSourceFile(file) as ts.SourceFile
    for (const exported of checker.getExportsOfModule(checker.getSymbolAtLocation(source) as ts.Symbol)) {
      const symbol = exported.flags & ts.SymbolFlags.Alias ? checker.getAliasedSymbol(exported) : exported
      look(symbol, symbol.declarations?.[0], exported.name)
      if (symbol.declarations?.some(ts.isInterfaceDeclaration))
        lookInside(checker.getDeclaredTypeOfSymbol(symbol), exported.name)
      for (const call of checker.getTypeOfSymbolAtLocation(symbol, source).getCallSignatures())
        for (const parameter of call.getParameters())
          lookInside(
            checker.getNonNullableType(checker.getTypeOfSymbolAtLocation(parameter, source)),
            `${exported.name}()`,
          )
    }
  }
  expect(silent).toEqual([])
  expect(odd).toEqual([])
  expect(seen.size).toBeGreaterThan(600)
})
