/** A form of TanStack Form. */
import { useForm } from '@tanstack/react-form'
import { createRoot } from 'react-dom/client'
import { judgeValue, standardFor } from 'yosei'
import { Control } from './control.tsx'
import { names, options, say, showAccepted } from './language.ts'
import { blank, proposal } from './proposal.ts'

function Proposal() {
  const form = useForm({
    defaultValues: blank,
    validators: { onChange: standardFor(proposal, options), onSubmit: standardFor(proposal, options) },
    // The form has texts; this has what they say.
    onSubmit: ({ value }) => {
      const verdict = judgeValue(proposal, value, options)
      showAccepted(verdict.outcome === 'accepted' ? verdict.value : undefined)
    },
  })
  return (
    <form
      noValidate
      onSubmit={(event) => {
        event.preventDefault()
        showAccepted(undefined)
        void form.handleSubmit()
      }}
    >
      {names.map((name) => (
        <form.Field key={name} name={name}>
          {({ state: { value, meta }, handleChange, handleBlur }) => (
            <Control
              name={name}
              value={value}
              error={meta.isBlurred || form.state.submissionAttempts > 0 ? meta.errors[0]?.message : undefined}
              change={handleChange}
              leave={handleBlur}
            />
          )}
        </form.Field>
      ))}
      <button type="submit">{say('Propose', 'Vorschlagen')}</button>
    </form>
  )
}

createRoot(document.querySelector('#form') as HTMLElement).render(<Proposal />)
