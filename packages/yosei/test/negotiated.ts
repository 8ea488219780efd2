/** What clients would like to read, made at random as it is meant and then written as a field, so that nothing needs a parser to know what is right. */
import fc from 'fast-check'
import { answer, endpoint, intake, judge, record } from 'yosei'

interface Wish {
  /** A media range, or a language range. */
  readonly range: string
  /** Parameters of a media type, which no answer has. */
  readonly parameters: readonly string[]
  /** In thousandths; `undefined` if the field says none. */
  readonly weight: number | undefined
  readonly extension: string
}
const weights = [undefined, undefined, 0, 1, 5, 10, 50, 123, 500, 900, 999, 1000]
const wishes = (ranges: readonly string[], parameters: readonly string[]) =>
  fc.uniqueArray(
    fc.record({
      range: fc.constantFrom(...ranges),
      parameters:
        parameters.length > 0
          ? fc.oneof(fc.constant([]), fc.constant([]), fc.subarray([...parameters]))
          : fc.constant([]),
      weight: fc.constantFrom(...weights),
      extension: fc.constantFrom('', '', '', ';ext', ';ext="a,b;q=0"'),
    }),
    { selector: ({ range, parameters }) => range + parameters, maxLength: 6 },
  )
const types = ['application/json', 'application/problem+json', 'text/html', 'text/plain', 'text/css', 'application/xml']
const media = wishes(
  [...types, 'text/*', 'application/*', 'image/*', '*/*'],
  ['level=1', 'title="a, b;q=1"', 'charset=utf-8'],
)
const languages = wishes(['de', 'de-AT', 'de-CH-1996', 'en', 'en-GB', 'fr', 'fr-CA', 'zh-Hant-CN-x-a-b', 'it', '*'], [])
/** How fields are written: blanks, case, and elements that say nothing. */
const style = fc.record({
  before: fc.constantFrom('', ' ', '\t'),
  after: fc.constantFrom('', ' ', '  '),
  isUpper: fc.boolean(),
  isPadded: fc.boolean(),
  digits: fc.constantFrom(0, 3),
})
export const negotiations = fc.record({ media, languages, style, isOften: fc.boolean() })
type Negotiation = typeof negotiations extends fc.Arbitrary<infer N> ? N : never

function written(all: readonly Wish[], { before, after, isUpper, isPadded, digits }: Negotiation['style']): string {
  const lines = all.map(({ range, parameters, weight, extension }) => {
    const q =
      weight === undefined
        ? ''
        : `;${after}${isUpper ? 'Q' : 'q'}=${weight === 1000 ? ['1', '1.000'][digits ? 1 : 0] : digits || weight % 100 ? (weight / 1000).toFixed(3) : (weight / 1000).toFixed(1)}`
    return `${isUpper ? range.toUpperCase() : range}${parameters.map((one) => `${before};${after}${one}`).join('')}${before}${q}${weight === undefined ? '' : extension}`
  })
  return lines.join(`${before},${isPadded ? ' ,' : ''}${after}`)
}
const weightOf = ({ weight = 1000 }: Wish) => weight

/** RFC 9110, section 12.5.1: the most specific range counts. */
function weightFor(type: string, all: readonly Wish[]): number {
  const [kind] = type.split('/')
  const plain = all.filter(({ parameters }) => parameters.length === 0)
  const found = [type, `${kind}/*`, '*/*'].map((range) => plain.find((one) => one.range === range)).find((one) => one)
  return found ? weightOf(found) : 0
}
function formFor(all: readonly Wish[]): string {
  const offered = [
    [
      'application/problem+json',
      Math.max(weightFor('application/json', all), weightFor('application/problem+json', all)),
    ],
    ['text/html', weightFor('text/html', all)],
    ['text/plain', weightFor('text/plain', all)],
  ] as const
  const best = Math.max(...offered.map(([, weight]) => weight))
  return best === 0 ? 'application/problem+json' : (offered.find(([, weight]) => weight === best)?.[0] ?? '')
}

/** RFC 4647, section 3.4, in the order of the weights; `*` is whatever is left, and what has weight 0 is not read. */
function languageFor(all: readonly Wish[], spoken: readonly string[]): string {
  const refused = all.filter((one) => weightOf(one) === 0 && one.range !== '*').map(({ range }) => range)
  const isRefused = (tag: string) => refused.some((range) => tag === range || tag.startsWith(`${range}-`))
  const wanted = all.filter((one) => weightOf(one) > 0).sort((a, b) => weightOf(b) - weightOf(a))
  for (const { range } of wanted.filter((one) => one.range !== '*')) {
    const steps = range.split('-')
    for (let length = steps.length; length > 0; length--) {
      if (length < steps.length && steps[length - 1]?.length === 1) continue
      const tag = steps.slice(0, length).join('-')
      if (spoken.includes(tag) && (length === steps.length || !isRefused(tag))) return tag
    }
  }
  const [first = ''] = spoken
  return wanted.some(({ range }) => range === '*') ? (spoken.find((tag) => !isRefused(tag)) ?? first) : first
}

const tags = ['en', 'de', 'de-AT', 'fr']
const words = (tag: string) => ({ unlisted: `words of ${tag}` })
const app = intake({
  endpoints: { put: endpoint('PUT /', { body: record({}) }) },
  languages: Object.fromEntries(tags.map((tag) => [tag, words(tag)])) as never,
})

/** What is wrong with the form and the language of an answer: nothing, or the fields and what came. */
export async function misread({ media, languages, style, isOften }: Negotiation): Promise<string | undefined> {
  const accept = written(media, style)
  const language = written(languages, style)
  const headers = new Headers({ 'content-type': 'application/json' })
  if (accept !== '') headers.set('accept', accept)
  if (language !== '') headers.set('accept-language', language)
  // A field may come in several lines, which is the same as one.
  if (isOften && accept !== '') headers.append('accept', 'image/png;q=0')
  const request = new Request('http://kr.example/', { method: 'PUT', headers, body: '{"a":1}' })
  const verdict = await judge(app, request.clone())
  const response = answer(verdict as never, request)
  const [type] = (response.headers.get('content-type') ?? '').split(';')
  const expected = [
    accept === '' ? 'application/problem+json' : formFor(media),
    language === '' ? 'en' : languageFor(languages, tags),
  ]
  const came = [type, response.headers.get('content-language')]
  if (String(came) === String(expected)) return undefined
  return `accept: ${accept}\naccept-language: ${language}\n  expected ${expected}\n  came     ${came}`
}
