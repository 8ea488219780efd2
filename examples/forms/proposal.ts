/** What an observer proposes: declared once, for the service and for each form. */
import { choice, day, integer, record, text } from 'yosei'

export const kinds = ['image', 'survey', 'spectrum'] as const
export const proposal = record(
  {
    title: text({ length: [5, 60], tidy: ['trim'] }),
    contact: text({ format: 'email' }),
    kind: choice(kinds),
    from: day(),
    until: day(),
    hours: integer({ min: 1, max: 40 }),
    reason: text({ length: [1, 200], optional: true }),
  },
  { rules: (on) => [on.ascending('from', 'until', { orEqual: true }), on.needed('reason', on.above('hours', 20))] },
)

/** The values of a form before anybody has typed: all of them are texts. */
export const blank = { title: '', contact: '', kind: '', from: '', until: '', hours: '', reason: '' }
export type Name = keyof typeof blank
