// An animal doctor
import { choice, endpoint, flag, intake, number, record, tagged, text } from 'yosei'

// The species decides which fields there are.
const admit = endpoint('POST /patients', {
  title: 'Admit an animal',
  body: record({
    name: text({ length: [1, 40] }),
    animal: tagged('species', {
      dog: record({ kilograms: number({ above: 0, max: 120 }), isVaccinated: flag() }),
      bird: record({ grams: number({ above: 0 }), plumage: choice(['grey', 'green', 'blue']) }),
      snake: record({ metres: number({ above: 0, max: 10 }), isVenomous: flag() }),
    }),
  }),
})

export default intake({ title: 'An animal doctor', endpoints: { admit } })
