/** Each example of the playground, as the playground reads it: it declares endpoints, and each probe of them is right. */
import { readdirSync, readFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { describe, expect, test } from '@jest/globals'
import { outline } from 'yosei'
import { judgeProbe, probesOf } from 'yosei/probe'
import { declaredIn } from '../playground/declaration.ts'

const folder = join(dirname(fileURLToPath(import.meta.url)), '../examples')
const examples = readdirSync(folder).sort()

test('there are twelve trades, each with its name', () => {
  const names = examples.map((file) => /^\/\/ (An? .+)\n/.exec(readFileSync(join(folder, file), 'utf8'))?.[1])
  expect([names.length, new Set(names).size, names.includes(undefined)]).toEqual([12, 12, false])
})

test.each(examples)('%s', async (file) => {
  const { app, makeServices } = await declaredIn(readFileSync(join(folder, file), 'utf8'))
  const wrong: string[] = []
  let accepted = 0
  for (const probe of probesOf(app)) {
    if (probe.outcome === 'unprobed') continue
    if (probe.outcome === 'accepted') accepted++
    const { fault } = await judgeProbe(app, probe)
    if (fault !== undefined) wrong.push(fault)
  }
  expect(wrong).toEqual([])
  expect(accepted).toBeGreaterThan(0)
  expect(Object.values(outline(app).endpoints).every(({ title }) => title !== undefined)).toBe(true)
  expect(makeServices === undefined).toBe(!file.startsWith('11'))
})

describe('a declaration as text', () => {
  test('without a default export, all of its endpoints are an intake', async () => {
    const { app } = await declaredIn(
      "import { endpoint, judge } from 'yosei'\nconst a = endpoint('GET /a', {})\nconst b: unknown = endpoint('GET /b', {})\nawait judge(a as never, 'GET /a HTTP/1.1')",
    )
    expect(Object.values(app.endpoints).map(({ template }) => template)).toEqual(['/a', '/b'])
  })
  test.each([
    ["import fs from 'node:fs'\nexport default fs", 'node:fs cannot be imported here: the playground has only yosei'],
    ['const x = 5', 'it declares no endpoint'],
    ["import { endpoint } from 'yosei'\nendpoint('GET', {})", 'GET'],
    ['const x: = 5', 'Unexpected token'],
  ])('%j is refused', async (source, message) => {
    await expect(declaredIn(source)).rejects.toThrow(message)
  })
})
