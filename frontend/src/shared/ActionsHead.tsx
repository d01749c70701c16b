import { tr } from "../i18n";
/** The head of the column with what can be done: it is only read out. */
export function ActionsHead() {
  return (
    <th>
      <span className="visually-hidden">{tr("Actions")}</span>
    </th>
  );
}
