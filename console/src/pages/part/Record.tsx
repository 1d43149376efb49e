import { useState } from 'react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Link } from 'react-router'
import { address, get, post, remove, type History, type NewLink, type Part, type Person, type SharedLink } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'
import { leads, when } from '../../shared/words'

/** Share makes addresses that show the report to a customer who has no account, and ends them. */
function Share({ part }: { part: number }) {
  const queries = useQueryClient()
  const list = useQuery({ queryKey: ['links', part], queryFn: () => get<SharedLink[]>(`/parts/${part}/links`), retry: false })
  const [path, setPath] = useState('')
  const [error, setError] = useState<unknown>()
  const again = () => queries.invalidateQueries({ queryKey: ['links', part] })
  return (
    <div className="mt-2">
      <button className="btn btn-sm" id="share" onClick={() => post<NewLink>(`/parts/${part}/links`, { days: 30 }).then((l) => (setPath(l!.path), again()), setError)}>Make an address for the customer</button>
      {path && (
        <p className="mt-1 break-all text-xs" role="status">
          Shows the report and the file for 30 days; it is told only now: <a className="link" id="shared" href={path}>{location.origin + path}</a>
        </p>
      )}
      <ul className="mt-1 space-y-1 text-xs" aria-label="Addresses">
        {list.data?.map((l) => (
          <li key={l.id} className="flex items-center gap-2">
            <span className="opacity-70">made by {l.created_by}, until {when(l.expires_at).slice(0, 10)}, {l.opened_at ? `last opened ${when(l.opened_at)}` : 'not opened yet'}</span>
            <button className="btn btn-xs ml-auto" onClick={() => remove(`/parts/${part}/links/${l.id}`).then(() => (setPath(''), again()), setError)}>End</button>
          </li>
        ))}
      </ul>
      <Trouble error={error} />
    </div>
  )
}

const signs: Record<string, string> = { proposed: 'waits for a lead', approved: 'signed off', 'sent back': 'sent back', withdrawn: 'withdrawn' }

/** Record is what people said and decided about the part: sign-off, notes, what came of the same file before. */
export function Record({ part, kinds, changed }: { part: Part; kinds: string[]; changed: () => void }) {
  const queries = useQueryClient()
  const me = queries.getQueryData<Person>(['session'])
  const history = useQuery({ queryKey: ['history', part.id, part.updated_at], queryFn: () => get<History>(`/parts/${part.id}/history`), placeholderData: (old) => old })
  const [note, setNote] = useState('')
  const [about, setAbout] = useState('')
  const [remark, setRemark] = useState('')
  const [error, setError] = useState<unknown>()
  const send = (path: string, body?: object) => {
    setError(undefined)
    return post(`/parts/${part.id}/${path}`, body).then(() => {
      queries.invalidateQueries({ queryKey: ['history', part.id] })
      changed()
    }, setError)
  }
  const busy = part.state === 'waiting' || part.state === 'working'
  const { notes = [], signoffs = [], seen } = history.data ?? {}
  return (
    <div className="space-y-5 text-sm">
      <section aria-label="Sign-off">
        <h2 className="mb-1 font-semibold">Sign-off</h2>
        {signoffs.length === 0 && <p className="opacity-70">Not proposed yet.</p>}
        <ul className="space-y-1">
          {signoffs.map((s) => (
            <li key={s.id} data-sign={s.state}>
              <span className="font-medium">r{s.revision} {signs[s.state] ?? s.state}</span>{' '}
              <span className="opacity-70">
                {s.decided_by ? `by ${s.decided_by}, ${when(s.decided_at ?? s.proposed_at)}` : `proposed by ${s.proposed_by}, ${when(s.proposed_at)}`}
              </span>
              {s.remark && <p>“{s.remark}”</p>}
            </li>
          ))}
        </ul>
        {part.signed !== 'proposed' && part.signed !== 'approved' && (
          <button className="btn btn-sm mt-2" data-sign-off="propose" disabled={busy || (part.verdict as string) === 'hold' || (part.verdict as string) === ''} onClick={() => send('proposal')}>Propose r{part.current}</button>
        )}
        {part.signed === 'proposed' && leads(me) && (
          <div className="mt-2 flex gap-1.5">
            <input className="input input-sm flex-1" aria-label="remark" placeholder="remark" value={remark} onChange={(e) => setRemark(e.target.value)} />
            <button className="btn btn-primary btn-sm" data-sign-off="approve" onClick={() => send('decision', { approve: true, remark })}>Approve</button>
            <button className="btn btn-sm" disabled={!remark.trim()} data-sign-off="back" onClick={() => send('decision', { approve: false, remark })}>Send back</button>
          </div>
        )}
      </section>
      {seen && (
        <section aria-label="Seen before" className="rounded-box border border-info/60 p-3">
          The same bytes came on {when(seen.created_at).slice(0, 10)} in <Link className="link" to={`/parts/${seen.part_id}`}>{seen.batch_name}</Link>
          {seen.current > 0 ? `, ${seen.verdict === 'pass' ? 'mended as' : 'worked on up to'} r${seen.current}` : seen.verdict === 'pass' ? ' and passed' : ''}.
          {(seen.unit_set || Object.keys(seen.answers).length > 0) && (part.verdict as string) === 'hold' && (
            <button className="btn btn-sm mt-2" data-as-before onClick={() => send('answers-as-before')}>Answer as then</button>
          )}
        </section>
      )}
      <section aria-label="Notes">
        <h2 className="mb-1 font-semibold">Notes</h2>
        <ul className="space-y-2">
          {notes.map((n) => (
            <li key={n.id} className="rounded-box bg-base-200 p-2">
              <p className="whitespace-pre-wrap break-words">{n.text}</p>
              <p className="text-xs opacity-70">{n.kind && `on ${n.kind.replaceAll('-', ' ')}, `}{n.created_by}, {when(n.created_at)}</p>
            </li>
          ))}
        </ul>
        <form
          className="mt-2 flex gap-1.5"
          onSubmit={(e) => {
            e.preventDefault()
            send('notes', { text: note, ...(about && { kind: about }) }).then(() => setNote(''))
          }}
        >
          <input className="input input-sm flex-1" id="note" aria-label="note" placeholder="what the next one should know" value={note} onChange={(e) => setNote(e.target.value)} />
          <select className="select select-sm w-28" aria-label="about" value={about} onChange={(e) => setAbout(e.target.value)}>
            <option value="">the part</option>
            {kinds.map((k) => <option key={k} value={k}>{k.replaceAll('-', ' ')}</option>)}
          </select>
          <button className="btn btn-sm" disabled={!note.trim()}>Keep</button>
        </form>
      </section>
      <section aria-label="Printability report">
        <h2 className="mb-1 font-semibold">Printability report</h2>
        <div className="flex flex-wrap gap-1.5">
          <Link className="btn btn-sm" to={`/parts/${part.id}/report`}>Read it</Link>
          <a className="btn btn-sm" href={address(`/parts/${part.id}/report.pdf`)} target="_blank" rel="noreferrer">PDF for the team</a>
          <a className="btn btn-sm" href={address(`/parts/${part.id}/report.pdf?for=customer`)} target="_blank" rel="noreferrer">PDF for the customer</a>
        </div>
        <Share part={part.id} />
        {leads(me) && <Link className="link mt-2 inline-block" to={`/trail?part=${part.id}`}>Who did what to it</Link>}
      </section>
      <Trouble error={error} />
    </div>
  )
}
