/** The form and the language of an answer are those that the client asks for. */
import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import { misread, negotiations } from './negotiated.ts'

test('fields made at random, from what they mean', async () => {
  const numRuns = Number(process.env.NEGOTIATED_RUNS ?? 1000)
  await fc.assert(
    fc.asyncProperty(negotiations, async (one) => expect(await misread(one)).toBeUndefined()),
    { numRuns, seed: 5 },
  )
})
