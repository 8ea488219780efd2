// A bakery
import { choice, endpoint, flag, intake, integer, list, record, text, timeOfDay } from 'yosei'

// Choices, limits, defaults, and a list without repetitions.
const order = endpoint('POST /orders', {
  title: 'Order bread',
  query: { isTrial: flag({ default: false }) },
  body: record({
    name: text({ length: [1, 60], tidy: ['trim', 'squeeze'] }),
    pickUp: timeOfDay({ from: '06:30', until: '18:00' }),
    items: list(
      record({
        bread: choice(['rye', 'wheat', 'spelt']),
        count: integer({ min: 1, max: 20, default: 1 }),
        isSliced: flag({ default: false }),
      }),
      { length: [1, 10], distinct: 'bread' },
    ),
  }),
})

export default intake({ title: 'A bakery', endpoints: { order } })
