import { t } from '@lingui/core/macro'
import { useLocation, useNavigate, useParams } from 'react-router'
import { Reader } from '../../handbook/reader'
import { useTitle } from '../../parts/title'

/** The handbook as a page of its own. */
export function HandbookScreen() {
  const { page = '' } = useParams()
  const { hash } = useLocation()
  const navigate = useNavigate()
  useTitle(t`Handbook`)
  return (
    <div className="mx-auto max-w-4xl p-4">
      <h1 className="pb-2 text-2xl font-bold">{t`Handbook`}</h1>
      <Reader
        at={{ page, section: hash.slice(1) || undefined }}
        onGo={(at) => navigate(`/handbook/${at.page}${at.section ? `#${at.section}` : ''}`)}
      />
    </div>
  )
}
