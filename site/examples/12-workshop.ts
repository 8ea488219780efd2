// A repair workshop
import { choice, constant, either, endpoint, type Field, intake, later, list, readAs, record, text } from 'yosei'

// A filter that contains filters, a union by constants, and text that becomes a value.
type Filter = { op: 'all' | 'any'; of: Filter[] } | { op: 'is'; part: string }
const filter: Field<Filter> = either([
  record({
    op: choice(['all', 'any']),
    of: list(
      later(() => filter),
      { length: [1, 5] },
    ),
  }),
  record({ op: constant('is'), part: text({ length: [1, 40] }) }),
])
const sorting = readAs(
  text({ length: [1, 20] }),
  (sent) => (/^-?(?:age|price)$/.test(sent) ? { by: sent.replace('-', ''), isDown: sent.startsWith('-') } : undefined),
  { code: 'bad_sorting', message: 'must be age or price, with a minus for the other way round', key: ({ by }) => by },
)
const findRepairs = endpoint('POST /repairs/searches', {
  title: 'Find repairs',
  query: { sort: list(sorting, { explode: false, distinct: true, optional: true }) },
  body: record({ filter }),
})

export default intake({ title: 'A repair workshop', endpoints: { findRepairs } })
