/** The engines say what a judge says that was written from the docs alone. */
import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import { cases, counted, differences } from './oracle-cases.ts'

const runs = Number(process.env.ORACLE_RUNS ?? 400)
const rules = ['ascending', 'equal', 'differ', 'gap', 'together', 'exactlyOne', 'atLeastOne', 'atMostOne', 'needed']
const others = ['absent', 'sumWithin', 'inOrder', 'distinct', 'apart', 'fits', 'check']

test('declarations, rules and requests made at random', () => {
  fc.assert(
    fc.property(cases, (one) => expect(differences(one)).toEqual([])),
    { numRuns: runs, ...(process.env.ORACLE_RUNS ? {} : { seed: 7 }) },
  )
  // All of them were tried, and both outcomes came often.
  for (const rule of [...rules, ...others]) expect(counted[rule] ?? 0).toBeGreaterThan(runs / 80)
  expect(Math.min(counted.accepted ?? 0, counted.rejected ?? 0)).toBeGreaterThan(runs / 2)
})
