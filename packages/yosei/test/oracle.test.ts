/** The engines say what a judge says that was written from the docs alone. */
import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import { rulesInService } from '../dist/internals.js'
import { cases, counted, differences, spec } from './oracle-cases.ts'
import { misreadings } from './oracle-readers.ts'
import { servedDifferences } from './oracle-served.ts'

const runs = Number(process.env.ORACLE_RUNS ?? 400)
/** Of rules with functions of their own it has `check`. */
const rules = Object.keys(rulesInService).filter((rule) => rule !== 'fill' && rule !== 'find')

test('declarations, rules and requests made at random', () => {
  fc.assert(
    fc.property(cases, (one) => expect(differences(one)).toEqual([])),
    { numRuns: runs, ...(process.env.ORACLE_RUNS ? {} : { seed: 7 }) },
  )
  // All of them were tried, and both outcomes came often.
  const often = (rule: string) => (counted[rule] ?? 0) + (counted[`${rule} while`] ?? 0)
  expect(rules.filter((rule) => often(rule) < runs / 80)).toEqual([])
  expect(Math.min(counted.accepted ?? 0, counted.rejected ?? 0)).toBeGreaterThan(runs / 2)
})

test('code asks the interpreter no more often than it did, if a request is right', () => {
  const before = { ...counted }
  for (const one of fc.sample(cases, { seed: 11, numRuns: 250 })) differences(one)
  const since = (what: string) => (counted[what] ?? 0) - (before[what] ?? 0)
  // Defaults, unions that are tried, rules of branches: what is not worth code.
  expect([since('accepted'), since('handed over')]).toEqual([138, 244])
})

test('elements judged alone, rules that only observe, and rules after a lookup', async () => {
  await fc.assert(
    fc.asyncProperty(cases, spec, async (one, item) => expect(await servedDifferences(one, item)).toEqual([])),
    { numRuns: runs / 2, ...(process.env.ORACLE_RUNS ? {} : { seed: 9 }) },
  )
  const untried = rules.flatMap((rule) => [`${rule} observed`, `${rule} after`]).filter((one) => !counted[one])
  expect(untried).toEqual([])
  expect([counted.observed, counted.after, counted['in part']].every((times = 0) => times > runs / 8)).toBe(true)
})

test('schemas, descriptions and probes say what the engines do', async () => {
  await fc.assert(
    fc.asyncProperty(cases, async (one) => expect(await misreadings(one)).toEqual([])),
    { numRuns: Math.ceil(runs / 12), ...(process.env.ORACLE_RUNS ? {} : { seed: 5 }) },
  )
  const often = ['probe accepted', 'probe rejected', 'schema accepted', 'schema rejected', 'description accepted']
  expect(often.filter((what) => !((counted[what] ?? 0) > runs / 20))).toEqual([])
})
