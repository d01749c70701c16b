import { useState } from "react";
import { Form } from "react-bootstrap";
import type { FormControlProps } from "react-bootstrap";
import { shownNumber, typedNumber } from "./format";

/** A number as people of the chosen locale write it; what is told is the number as documents hold it. */
export function NumberInput({
  value,
  onNumber,
  ...rest
}: Omit<FormControlProps, "value" | "onChange"> & {
  value: string;
  onNumber: (number: string) => void;
  autoFocus?: boolean;
}) {
  // What is being typed stands as it is typed.
  const [typed, setTyped] = useState<string | null>(null);
  return (
    <Form.Control
      {...rest}
      inputMode="decimal"
      value={typed ?? shownNumber(value)}
      onChange={(e) => {
        setTyped(e.target.value);
        onNumber(typedNumber(e.target.value));
      }}
      onBlur={() => setTyped(null)}
    />
  );
}
