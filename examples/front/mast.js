/** The server of a weather mast. It believes whatever it is sent, and is not ours to change. */
import { createServer } from 'node:http'

/** Starts it, on a free port by default. */
export function startMast(port = 0) {
  const readings = []
  const server = createServer((request, response) => {
    let text = ''
    request.on('data', (chunk) => {
      text += chunk
    })
    request.on('end', () => {
      const answer = (status, value) =>
        response.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(value))
      if (request.method !== 'POST') return answer(200, readings)
      // A temperature of "mild" is stored as well.
      readings.push(JSON.parse(text))
      return answer(201, { readings: readings.length })
    })
  })
  return new Promise((resolve) => {
    server.listen(port, '127.0.0.1', () =>
      resolve({ server, readings, url: `http://127.0.0.1:${server.address().port}` }),
    )
  })
}
