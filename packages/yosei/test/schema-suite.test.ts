/** The open test suite of JSON Schema 2020-12: all that is required, with its remote documents, and the formats as checked. */
import { existsSync, readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { judgeValue } from 'yosei'
import { readJsonSchema } from 'yosei/json-schema'
import { suite, unpack } from './open-suite.ts'

interface Group {
  readonly description: string
  readonly schema: object | boolean
  readonly tests: readonly { readonly description: string; readonly data: unknown; readonly valid: boolean }[]
}
const read = <T>(...path: readonly string[]): T => JSON.parse(readFileSync(join(suite, ...path), 'utf8')) as T
const filesIn = (...path: readonly string[]) =>
  readdirSync(join(suite, ...path), { recursive: true, encoding: 'utf8' }).filter((file) => file.endsWith('.json'))

const missing = unpack()
if (!existsSync(suite)) test.todo(`the open suite of JSON Schema cannot be had here: ${missing}`)
else
  describe('the open suite of JSON Schema 2020-12', () => {
    const documents = Object.fromEntries(
      filesIn('remotes').map((file) => [`http://localhost:1234/${file}`, read('remotes', file)]),
    )
    const tests = ['tests', 'draft2020-12'] as const
    const required = filesIn(...tests).filter((file) => !file.startsWith('optional/'))
    const formats = filesIn(...tests).filter((file) => file.startsWith('optional/format/'))
    const cases = { required: 0, formats: 0 }

    test.each([
      ...required.map((file) => [file, 'annotate', 'required'] as const),
      ...formats.map((file) => [file, 'assert', 'formats'] as const),
    ])('%s', (file, checked, kind) => {
      const wrong: string[] = []
      for (const { description, schema, tests: all } of read<readonly Group[]>(...tests, file)) {
        const field = readJsonSchema(schema, { documents, formats: checked })
        for (const one of all) {
          cases[kind]++
          const isTaken = judgeValue(field, one.data).outcome === 'accepted'
          if (isTaken !== one.valid) wrong.push(`${description}: ${one.description}`)
        }
      }
      expect(wrong).toEqual([])
    })
    test('no case is left out', () => {
      expect(cases.required).toBeGreaterThanOrEqual(1176)
      expect(cases.formats).toBeGreaterThanOrEqual(346)
    })
  })
