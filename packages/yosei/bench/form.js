/** What a page with a form needs: it declares an endpoint, judges the parts that it has, and shows the messages. */
import { choice, endpoint, instant, integer, judgeParts, list, record, text } from 'yosei'

const book = endpoint('POST /sessions', {
  body: record({
    contact: text({ format: 'email' }),
    opens: instant({ from: '+36h' }),
    closes: instant(),
    filters: list(choice(['clear', 'red', 'blue']), { length: [1, 3] }),
    count: integer({ min: 1, default: 1 }),
  }),
  rules: (on) => [on.ascending('body.opens', 'body.closes')],
})

document.querySelector('form').addEventListener('submit', (event) => {
  const values = Object.fromEntries(new FormData(event.target))
  const verdict = judgeParts(book, { body: values }, { text: true, only: ['body'] })
  for (const error of verdict.errors ?? []) document.getElementById(error.address).textContent = error.message
})
