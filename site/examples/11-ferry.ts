// A ferry
import { endpoint, intake, integer, record, text } from 'yosei'

// A lookup asks a service, which stands in here: the ferry f-2 has three places left.
interface Services {
  ferries: { places(id: string): Promise<number | undefined> }
}
const board = endpoint('POST /ferries/{ferry}/tickets', {
  title: 'Buy a ticket',
  path: { ferry: text({ pattern: /^f-\d$/, examples: ['f-2'] }) },
  body: record({ persons: integer({ min: 1, max: 9 }), cars: integer({ min: 0, max: 2, default: 0 }) }),
  lookups: (on) => ({
    places: on.lookup({
      reads: ['path.ferry', 'body.persons'],
      ask: async ({ ferries }: Services, [ferry, persons]) => ((await ferries.places(ferry)) ?? 0) >= persons,
      refusal: { status: 409, code: 'ferry_full', message: 'has no places left', at: 'path.ferry' },
    }),
  }),
  turn: { of: 'ferry', by: ['path.ferry'], wait: '5s' },
})

export const services = (): Services => ({ ferries: { places: async (id) => (id === 'f-2' ? 3 : 0) } })
export default intake({ title: 'A ferry', endpoints: { board } })
