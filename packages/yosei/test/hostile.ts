/** Messages that go wrong on their way, or are made to. */
import fc from 'fast-check'

export const bytes = (value: string | Uint8Array) =>
  typeof value === 'string' ? Buffer.from(value, 'latin1') : Buffer.from(value)

const odd = [
  '\0',
  '\r\n',
  '%zz',
  '[',
  '"',
  '{',
  '\\',
  ';',
  ',',
  '&',
  '../',
  ' ',
  '\xff',
  '__proto__',
  '99999999999999999999',
  '\r\nContent-Length: 3',
  '\r\nTransfer-Encoding: chunked',
]

const spoil = (raw: Buffer, [at, how, length]: readonly [number, number, number]) => {
  const place = at % (raw.length + 1)
  const [before, behind] = [raw.subarray(0, place), raw.subarray(place)]
  const more = how < odd.length ? bytes(odd[how] as string) : how % 2 ? behind.subarray(0, length) : bytes('')
  return Buffer.concat([before, more, how < odd.length ? behind : behind.subarray(how % 2 ? 0 : length)])
}

/** The messages with something put in, left out or repeated, once to three times. */
export const spoilt = (messages: readonly Buffer[]): fc.Arbitrary<Buffer> =>
  fc
    .tuple(
      fc.constantFrom(...messages),
      fc.array(fc.tuple(fc.nat(800), fc.nat(odd.length + 3), fc.integer({ min: 1, max: 300 })), {
        minLength: 1,
        maxLength: 3,
      }),
    )
    .map(([raw, ways]) => ways.reduce(spoil, raw))
