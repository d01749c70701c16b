export { Recipients } from "./Recipients";
export { RecipientPage } from "./RecipientPage";
export { PostRoom } from "./PostRoom";
export { Deliveries } from "./Deliveries";
export { STATES } from "./states";
export { SchemaForm } from "./SchemaForm";
export { filled } from "./schema";
export type { Schema } from "./schema";
