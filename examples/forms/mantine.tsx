/** A form of Mantine's form hook. */
import { schemaResolver, useForm } from '@mantine/form'
import { createRoot } from 'react-dom/client'
import { judgeValue, standardFor } from 'yosei'
import { Control } from './control.tsx'
import { names, options, say, showAccepted } from './language.ts'
import { blank, proposal } from './proposal.ts'

function Proposal() {
  const form = useForm({
    initialValues: blank,
    validate: schemaResolver(standardFor(proposal, options), { sync: true }),
    validateInputOnBlur: true,
    validateInputOnChange: true,
  })
  return (
    <form
      noValidate
      onSubmit={form.onSubmit(
        (value) => {
          const verdict = judgeValue(proposal, value, options)
          showAccepted(verdict.outcome === 'accepted' ? verdict.value : undefined)
        },
        () => showAccepted(undefined),
      )}
    >
      {names.map((name) => {
        const { value, error, onChange, onBlur } = form.getInputProps(name)
        return <Control key={name} name={name} value={value} error={error} change={onChange} leave={() => onBlur?.()} />
      })}
      <button type="submit">{say('Propose', 'Vorschlagen')}</button>
    </form>
  )
}

createRoot(document.querySelector('#form') as HTMLElement).render(<Proposal />)
