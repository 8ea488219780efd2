// A cinema
import { endpoint, intake, integer, list, text } from 'yosei'

// Lists and limits in a query, and a rule between two of its fields.
const findShows = endpoint('GET /shows', {
  title: 'Find shows',
  query: {
    genre: list(text({ pattern: /^[a-z-]+$/, length: [2, 20] }), { length: [1, 5], explode: false, optional: true }),
    seats: integer({ min: 1, max: 10, default: 2 }),
    least: integer({ min: 0, optional: true }),
    most: integer({ max: 100, optional: true }),
  },
  rules: (on) => [on.ascending('query.least', 'query.most', { orEqual: true })],
})

export default intake({ title: 'A cinema', endpoints: { findShows } })
