// A school
import { choice, endpoint, intake, list, record, text, timeOfDay } from 'yosei'

// Lists in lists: lessons of a day do not overlap.
const lesson = record(
  { subject: text({ length: [2, 30] }), room: text({ length: [1, 10] }), from: timeOfDay(), until: timeOfDay() },
  { rules: (on) => [on.ascending('from', 'until')] },
)
const plan = endpoint('PUT /classes/{class}/week', {
  title: 'Plan a week',
  path: { class: text({ pattern: /^[1-8][a-d]$/, examples: ['3b'] }) },
  body: record({
    days: list(
      record({ day: choice(['mon', 'tue', 'wed', 'thu', 'fri']), lessons: list(lesson, { length: [1, 10] }) }),
      { length: [1, 5], distinct: 'day' },
    ),
  }),
  rules: (on) => [on.apart('body.days[].lessons[].from', 'body.days[].lessons[].until')],
})

export default intake({ title: 'A school', endpoints: { plan } })
