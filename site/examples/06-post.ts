// A post office
import { choice, decimal, endpoint, intake, record, text } from 'yosei'

// The form of a postcode depends on the country. Customs need a value.
const send = endpoint('POST /parcels', {
  title: 'Send a parcel',
  body: record({
    country: choice(['AT', 'NL', 'CH']),
    postcode: text({ length: [4, 7] }),
    weight: decimal({ min: '0.1', max: '30', scale: 2 }),
    value: decimal({ min: '0', scale: 2, optional: true }),
  }),
  rules: (on) => [
    on.while(on.is('body.country', 'NL'), [
      on.fits('body.postcode', text({ pattern: /^\d{4} ?[A-Z]{2}$/, examples: ['1234 AB'] })),
    ]),
    on.while(on.not(on.is('body.country', 'NL')), [
      on.fits('body.postcode', text({ pattern: /^\d{4}$/, examples: ['1010'] })),
    ]),
    on.needed('body.value', on.not(on.in('body.country', ['AT', 'NL']))),
  ],
})

export default intake({ title: 'A post office', endpoints: { send } })
