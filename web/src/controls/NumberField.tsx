import { type ComponentProps, useEffect, useRef } from "react";
import { readNumber } from "../format";
import { Field } from "./Field";

interface Props extends Omit<ComponentProps<typeof Field>, "onChange" | "value" | "min" | "max"> {
  value: string;
  onChange: (text: string) => void;
  /** Whole numbers only. */
  whole?: boolean;
  min?: number;
  max?: number;
}

/** A number as people write it, with a decimal comma or point; what is none says so and holds the form back. */
export function NumberField({ value, onChange, whole = false, min, max, error, ...rest }: Props) {
  const input = useRef<HTMLInputElement>(null);
  const number = readNumber(value);
  const wrong = number !== null && (Number.isNaN(number) || (whole && !Number.isInteger(number)));
  const beyond = number !== null && !wrong && (number < (min ?? number) || number > (max ?? number));
  const range = [min !== undefined && `at least ${min}`, max !== undefined && `at most ${max}`];
  const fault = wrong
    ? `Write a ${whole ? "whole number, such as 3" : "number, such as 2.5 or 2,5"}.`
    : beyond
      ? `Write a number of ${range.filter(Boolean).join(" and ")}.`
      : "";
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
