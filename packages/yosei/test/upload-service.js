/** A service that takes files, in a process whose limits the caller has set. Tells its port on standard output. */
import { endpoint, file, intake, record, serve } from 'yosei'
import { listen } from 'yosei/node'

const events = []
const plates = endpoint('POST /plates', { body: { 'multipart/form-data': record({ plate: file({ bytes: '1MB' }) }) } })
const app = intake({
  endpoints: { plates },
  journal: { write: ({ outcome, status }) => void events.push(`${outcome} ${status}`) },
})
const { port } = await listen(serve(app, { plates: () => ({ events }) }))
console.log(port)
