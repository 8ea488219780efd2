// A farm shop
import { decimal, endpoint, intake, integer, list, record, text } from 'yosei'

// Sums are exact: prices times quantities, and shares of a whole.
const invoice = endpoint('POST /invoices', {
  title: 'Write an invoice',
  body: record({
    lines: list(
      record({
        item: text({ length: [1, 40] }),
        price: decimal({ min: '0', scale: 2 }),
        quantity: integer({ min: 1 }),
      }),
      { length: [1, 20] },
    ),
    total: decimal({ min: '0', scale: 2 }),
    shares: list(record({ farmer: text({ length: [1, 40] }), percent: integer({ min: 1, max: 100 }) }), {
      length: [1, 5],
    }),
  }),
  rules: (on) => [
    on.sumWithin('body.lines[].price', { times: 'body.lines[].quantity', exactly: 'body.total' }),
    on.sumWithin('body.shares[].percent', { exactly: 100 }),
    on.distinct('body.shares[].farmer'),
  ],
})

export default intake({ title: 'A farm shop', endpoints: { invoice } })
