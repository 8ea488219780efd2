// A museum
import { allOptional, endpoint, intake, integer, record, text } from 'yosei'

// One record for the whole object and for a change of it (JSON Merge Patch).
const exhibit = record(
  {
    name: text({ length: [1, 80] }),
    made: record({ from: integer(), until: integer() }),
    note: text({ length: [0, 500], optional: true }),
  },
  { rules: (on) => [on.ascending('made.from', 'made.until', { orEqual: true })] },
)
const path = { id: integer({ min: 1 }) }
const putExhibit = endpoint('PUT /exhibits/{id}', { title: 'Describe an exhibit', path, body: exhibit })
const changeExhibit = endpoint('PATCH /exhibits/{id}', {
  title: 'Change an exhibit',
  path,
  body: { 'application/merge-patch+json': allOptional(exhibit, { nullable: true, deep: true }) },
})

export default intake({ title: 'A museum', endpoints: { putExhibit, changeExhibit } })
