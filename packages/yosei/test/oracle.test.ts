/** The engines say what a judge says that was written from the docs alone. */
import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import { cases, counted, differences } from './oracle-cases.ts'

const runs = Number(process.env.ORACLE_RUNS ?? 400)
test('declarations, rules and requests made at random', () => {
  fc.assert(
    fc.property(cases, (one) => expect(differences(one)).toEqual([])),
    { numRuns: runs, ...(process.env.ORACLE_RUNS ? {} : { seed: 7 }) },
  )
  console.log(counted)
})
