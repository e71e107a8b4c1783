import { type ComponentProps, useEffect, useRef } from "react";
import { readNumber } from "../format";
import { Field } from "./Field";

interface Props extends Omit<ComponentProps<typeof Field>, "onChange" | "value"> {
  value: string;
  onChange: (text: string) => void;
  /** Whole numbers only. */
  whole?: boolean;
}

/** A number as people write it, with a decimal comma or point; what is none says so and holds the form back. */
export function NumberField({ value, onChange, whole = false, error, ...rest }: Props) {
  const input = useRef<HTMLInputElement>(null);
  const number = readNumber(value);
  const wrong = number !== null && (Number.isNaN(number) || (whole && !Number.isInteger(number)));
  const fault = wrong ? `Write a ${whole ? "whole number, such as 3" : "number, such as 2.5 or 2,5"}.` : "";
  useEffect(() => input.current?.setCustomValidity(fault), [fault]);
  return (
    <Field
      {...rest}
      ref={input}
      inputMode={whole ? "numeric" : "decimal"}
      value={value}
      error={fault || error}
      onChange={(event) => onChange(event.target.value)}
    />
  );
}
