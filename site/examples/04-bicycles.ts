// A bicycle rental
import { endpoint, instant, intake, integer, record, text } from 'yosei'

// A span of time with limits, and a field that another one makes necessary.
const rent = endpoint('POST /bicycles/{bicycle}/rentals', {
  title: 'Rent a bicycle',
  path: { bicycle: text({ pattern: /^b-\d{3}$/, examples: ['b-007'] }) },
  body: record({
    from: instant({ from: '-5m' }),
    until: instant(),
    riders: integer({ min: 1, max: 6 }),
    phone: text({ format: 'phone', optional: true }),
  }),
  rules: (on) => [
    on.gap('body.from', 'body.until', { atLeast: '30m', atMost: '7d' }),
    on.needed('body.phone', on.above('body.riders', 2)),
  ],
  success: 201,
})

export default intake({ title: 'A bicycle rental', endpoints: { rent } })
