// A library
import { day, endpoint, intake, record, text } from 'yosei'

// A loan names a member, a book and a day.
const lend = endpoint('POST /loans', {
  title: 'Lend a book',
  body: record({
    member: text({ pattern: /^m-\d{4}$/, title: 'member number', examples: ['m-0042'] }),
    isbn: text({ format: 'isbn' }),
    until: day({ from: '+1d' }),
  }),
  success: 201,
})

export default intake({ title: 'A library', endpoints: { lend } })
