// A gym
import { choice, endpoint, group, instant, intake, record, text } from 'yosei'

// Callers have roles. Set the caller at “who asks”: {"member":"m-1","role":"trainer"}
const who = record({ member: text(), role: choice(['member', 'trainer']) })
const members = group(
  { prefix: '/members/{member}', path: { member: text({ length: [2, 20] }) }, who },
  {
    bookCourse: endpoint('POST /bookings', {
      title: 'Book a course',
      who,
      body: record({ course: text({ length: [1, 40] }), at: instant({ from: '+10m' }) }),
    }),
    closeAccount: endpoint('DELETE /', { title: 'Close an account', who, may: (on) => on.is('who.role', 'trainer') }),
  },
)

export default intake({
  title: 'A gym',
  endpoints: { ...members },
  identify: () => ({ member: 'm-1', role: 'member' as const }),
})
