import { useEffect, useRef, useState, type FormEvent } from 'react'
import { useQuery } from '@tanstack/react-query'
import { useNavigate } from 'react-router'
import { get, large, pathOf, sendBatch, type Process } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'
import { bytes, plural } from '../../shared/words'

/** NewBatch takes in a customer's files. */
export function NewBatch({ dropped, over }: { dropped: File[]; over: boolean }) {
  const processes = useQuery({ queryKey: ['processes'], queryFn: () => get<Process[]>('/processes'), staleTime: Infinity })
  const [files, setFiles] = useState<File[]>([])
  const [customer, setCustomer] = useState('')
  const [name, setName] = useState('')
  const [expect, setExpect] = useState('')
  const [process, setProcess] = useState('filament')
  const [sent, setSent] = useState<number>()
  const [error, setError] = useState<unknown>()
  const chooser = useRef<HTMLInputElement>(null)
  const go = useNavigate()
  useEffect(() => {
    if (dropped.length) setFiles((old) => [...old, ...dropped])
  }, [dropped])

  async function submit(e: FormEvent) {
    e.preventDefault()
    setError(undefined)
    setSent(0)
    try {
      const batch = await sendBatch({ name, customer, process, expect }, files, setSent)
      go(`/batches/${batch.id}`)
    } catch (problem) {
      setError(problem)
      setSent(undefined)
    }
  }

  const total = files.reduce((sum, f) => sum + f.size, 0)
  return (
    <form onSubmit={submit} className="h-fit space-y-4 rounded-box border border-base-300 bg-base-100 p-5" aria-label="New batch">
      <h2 className="font-semibold">New batch</h2>
      <button
        type="button"
        onClick={() => chooser.current?.click()}
        className={`w-full rounded-box border-2 border-dashed p-5 text-center text-sm ${over ? 'border-accent bg-accent/10' : 'border-base-300 hover:border-secondary'}`}
      >
        {files.length ? (
          <>
            <strong>{plural(files.length, 'file')}</strong>, {bytes(total)}
          </>
        ) : (
          <>Drop STL, OBJ, 3MF or zip files here, with their materials and textures, or click to choose</>
        )}
      </button>
      <input id="files" ref={chooser} type="file" multiple accept=".stl,.obj,.3mf,.zip,.mtl,.png,.jpg,.jpeg" className="hidden" onChange={(e) => setFiles([...(e.target.files ?? [])])} />
      {files.length > 0 && (
        <ul className="max-h-32 overflow-auto text-sm">
          {files.map((f, i) => (
            <li key={i} className="flex gap-2 py-0.5">
              <span className="truncate">{pathOf(f)}</span>
              <span className="ml-auto whitespace-nowrap opacity-70">{bytes(f.size)}</span>
            </li>
          ))}
        </ul>
      )}
      <Field label="Customer">
        <input id="customer" className="input w-full" value={customer} onChange={(e) => setCustomer(e.target.value)} />
      </Field>
      <Field label="Name of the batch (optional)">
        <input id="batch-name" className="input w-full" value={name} onChange={(e) => setName(e.target.value)} />
      </Field>
      <Field label="Size that the customer stated (optional)">
        <input id="expect" className="input w-full" placeholder="120x80x40mm" value={expect} onChange={(e) => setExpect(e.target.value)} />
      </Field>
      <Field label="Process">
        <select id="process" className="select w-full" value={process} onChange={(e) => setProcess(e.target.value)}>
          {processes.data?.map((p) => (
            <option key={p.name} value={p.name}>
              {p.title}
            </option>
          ))}
        </select>
      </Field>
      <Trouble error={error} />
      {files.some((f) => f.size > large) && <p className="text-xs opacity-70">Large files come in pieces: when the connection breaks, they go on where they were.</p>}
      {sent !== undefined && <progress className="progress progress-secondary" value={sent} max={1} aria-label="Sending" />}
      <button id="send" className="btn btn-primary w-full" disabled={!files.length || !customer.trim() || sent !== undefined}>
        {sent === undefined ? 'Take in' : `Sending ${Math.round(100 * sent)} %`}
      </button>
    </form>
  )
}

function Field({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <label className="block text-sm">
      <span className="mb-1 block opacity-80">{label}</span>
      {children}
    </label>
  )
}
