import { useState } from 'react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Link } from 'react-router'
import { get, post, remove, type Hook, type NewHook, type NewToken, type Person, type Token } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'
import { leads, when } from '../../shared/words'

const roles: [Person['role'], string][] = [['viewer', 'looks'], ['operator', 'mends, proposes'], ['lead', 'signs off'], ['administrator', 'lets people in']]

/** People is one's own account with its tokens, and for administrators everybody's. */
export function People() {
  const me = useQuery({ queryKey: ['session'], queryFn: () => get<Person>('/session') })
  return (
    <div className="mx-auto max-w-4xl space-y-8 p-6">
      {me.data && (
        <>
          <h1 className="text-xl font-semibold">{me.data.name} <span className="text-base font-normal opacity-70">{me.data.role}</span></h1>
          {leads(me.data) && <p className="-mt-6 text-sm"><Link className="link" to="/trail">Who did what</Link></p>}
          <Tokens />
          {me.data.role === 'administrator' && <Everybody />}
          {me.data.role === 'administrator' && <Hooks />}
        </>
      )}
    </div>
  )
}

/** Once shows what is told this once. */
const Once = ({ id, says, secret }: { id: string; says: string; secret: string }) => (
  <p className="mb-2 rounded-box border border-success p-3 text-sm" role="status">
    {says} <code className="select-all break-all font-medium" id={id}>{secret}</code>
  </p>
)

/** Kept lists what was made, and ends it. */
const Kept = ({ list, end }: { list: { id: number; name: string; about: string }[] | undefined; end: (id: number) => void }) => (
  <ul className="mb-3 space-y-1 text-sm">
    {list?.map((k) => (
      <li key={k.id} className="flex items-center gap-3 rounded-box border border-base-300 bg-base-100 px-3 py-1.5">
        <span className="break-all font-medium">{k.name}</span>
        <span className="opacity-70">{k.about}</span>
        <button className="btn btn-xs ml-auto" onClick={() => end(k.id)}>End</button>
      </li>
    ))}
  </ul>
)

function Tokens() {
  const queries = useQueryClient()
  const list = useQuery({ queryKey: ['tokens'], queryFn: () => get<Token[]>('/tokens') })
  const [name, setName] = useState('')
  const [scope, setScope] = useState<Token['scope']>('everything')
  const [days, setDays] = useState('90')
  const [made, setMade] = useState<NewToken>()
  const [error, setError] = useState<unknown>()
  const again = () => queries.invalidateQueries({ queryKey: ['tokens'] })
  return (
    <section aria-label="Tokens">
      <h2 className="mb-1 font-semibold">Personal tokens</h2>
      <p className="mb-2 text-sm opacity-70">They let the command line and other programs in as you: give one as VENEER_TOKEN.</p>
      {made && <Once id="new-token" says="This is shown once:" secret={made.token} />}
      <Kept
        list={list.data?.map((t) => ({ id: t.id, name: t.name, about: `${t.scope}, until ${when(t.expires_at).slice(0, 10)}, ${t.used_at ? `last used ${when(t.used_at)}` : 'never used'}` }))}
        end={(id) => remove(`/tokens/${id}`).then(again, setError)}
      />
      <form
        className="flex flex-wrap gap-2"
        onSubmit={(e) => {
          e.preventDefault()
          setError(undefined)
          post<NewToken>('/tokens', { name, scope, days: Number(days) }).then((t) => {
            setMade(t)
            setName('')
            again()
          }, setError)
        }}
      >
        <input className="input input-sm w-48" id="token-name" placeholder="what it is for" aria-label="what the token is for" value={name} onChange={(e) => setName(e.target.value)} />
        <select className="select select-sm w-32" aria-label="scope" value={scope} onChange={(e) => setScope(e.target.value as Token['scope'])}>
          <option value="everything">everything</option>
          <option value="reading">reading only</option>
        </select>
        <label className="join">
          <input className="input join-item input-sm w-16" aria-label="days" value={days} onChange={(e) => setDays(e.target.value)} />
          <span className="join-item border border-base-300 px-2 text-sm leading-8">days</span>
        </label>
        <button className="btn btn-sm" id="make-token" disabled={!name.trim()}>Make a token</button>
      </form>
      <Trouble error={error} />
    </section>
  )
}

/** Hooks are addresses of other programs that are told what happens. */
function Hooks() {
  const queries = useQueryClient()
  const list = useQuery({ queryKey: ['hooks'], queryFn: () => get<Hook[]>('/hooks') })
  const [url, setUrl] = useState('')
  const [made, setMade] = useState<NewHook>()
  const [error, setError] = useState<unknown>()
  const again = () => queries.invalidateQueries({ queryKey: ['hooks'] })
  return (
    <section aria-label="Hooks">
      <h2 className="mb-1 font-semibold">Told when a batch is done or a question opens</h2>
      {made && <Once id="new-secret" says="Posts are signed with this secret, which is shown once:" secret={made.secret} />}
      <Kept
        list={list.data?.map((h) => ({ id: h.id, name: h.url, about: [h.waiting > 0 && `${h.waiting} waiting`, h.error && `last: ${h.error}`].filter(Boolean).join(', ') }))}
        end={(id) => remove(`/hooks/${id}`).then(again, setError)}
      />
      <form
        className="flex gap-2"
        onSubmit={(e) => {
          e.preventDefault()
          setError(undefined)
          post<NewHook>('/hooks', { url }).then((h) => {
            setMade(h)
            setUrl('')
            again()
          }, setError)
        }}
      >
        <input className="input input-sm w-96" placeholder="https://…" aria-label="address" value={url} onChange={(e) => setUrl(e.target.value)} />
        <button className="btn btn-sm" disabled={!url.trim()}>Tell it</button>
      </form>
      <Trouble error={error} />
    </section>
  )
}

function Everybody() {
  const queries = useQueryClient()
  const list = useQuery({ queryKey: ['people'], queryFn: () => get<Person[]>('/people') })
  const [name, setName] = useState('')
  const [password, setPassword] = useState('')
  const [role, setRole] = useState<Person['role']>('operator')
  const [error, setError] = useState<unknown>()
  const again = () => queries.invalidateQueries({ queryKey: ['people'] })
  const change = (p: Person, to: object) => {
    setError(undefined)
    post(`/people/${p.id}`, { role: p.role, active: p.active, ...to }).then(again, setError)
  }
  return (
    <section aria-label="People">
      <h2 className="mb-2 font-semibold">People</h2>
      <table className="mb-3 w-full rounded-box border border-base-300 bg-base-100 text-sm">
        <tbody>
          {list.data?.map((p) => (
            <tr key={p.id} className={`border-b border-base-300 last:border-0 ${p.active ? '' : 'opacity-50'}`} data-person={p.name}>
              <td className="px-3 py-1.5 font-medium">{p.name}</td>
              <td className="px-2">
                <select className="select select-xs w-52" aria-label={`role of ${p.name}`} value={p.role} onChange={(e) => change(p, { role: e.target.value })}>
                  {roles.map(([r, does]) => <option key={r} value={r}>{r}: {does}</option>)}
                </select>
              </td>
              <td className="px-2 opacity-70">since {when(p.created_at).slice(0, 10)}</td>
              <td className="px-3 text-right">
                <button className="btn btn-xs" onClick={() => change(p, { active: !p.active })}>{p.active ? 'Shut out' : 'Let in'}</button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <form
        className="flex flex-wrap gap-2"
        onSubmit={(e) => {
          e.preventDefault()
          setError(undefined)
          post('/people', { name, role, password }).then(() => {
            setName('')
            setPassword('')
            again()
          }, setError)
        }}
      >
        <input className="input input-sm w-40" id="person-name" placeholder="name" aria-label="name" autoComplete="off" value={name} onChange={(e) => setName(e.target.value)} />
        <select className="select select-sm w-52" aria-label="role" value={role} onChange={(e) => setRole(e.target.value as Person['role'])}>
          {roles.map(([r, does]) => <option key={r} value={r}>{r}: {does}</option>)}
        </select>
        <input className="input input-sm w-44" id="person-password" type="password" placeholder="first password" aria-label="first password" autoComplete="new-password" value={password} onChange={(e) => setPassword(e.target.value)} />
        <button className="btn btn-sm" id="add-person" disabled={!name.trim() || password.length < 8}>Let in</button>
      </form>
      <Trouble error={error} />
    </section>
  )
}
