import { createContext, useContext } from "react";

/** Whether what is drawn is read, and not worked with: on a published page nothing is pressed. */
export const OnPaper = createContext(false);
export const useOnPaper = () => useContext(OnPaper);
