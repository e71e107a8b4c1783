"""Chromium under our control: a fixed viewport, downloads into a directory, and waits for what a user would see."""

from __future__ import annotations

import base64
import os
import re
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

from selenium import webdriver
from selenium.common.exceptions import (
    ElementClickInterceptedException,
    StaleElementReferenceException,
    TimeoutException,
)
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import WebDriverWait

SIZE = (1280, 800)
PATIENCE = 90

#: What holds for a moment and is waited out: what was drawn again, and a dialog's veil that is still going.
_PASSING = (StaleElementReferenceException, ElementClickInterceptedException)
_FLAGS = (
    "--headless=new", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync", "--disable-dev-shm-usage", "--hide-scrollbars", "--lang=en-GB",
)  # fmt: skip


def start_chromium(downloads: Path) -> webdriver.Chrome:
    """A fresh Chromium of its own profile, 1280 by 800, that saves downloads into a directory."""
    options = webdriver.ChromeOptions()
    options.binary_location = "/usr/bin/chromium"
    for flag in _FLAGS:
        options.add_argument(flag)
    if os.geteuid() == 0:
        options.add_argument("--no-sandbox")  # Chromium refuses to sandbox root
    options.add_argument(f"--user-data-dir={tempfile.mkdtemp(prefix='rennbahn-chromium-')}")
    options.add_experimental_option("prefs", {"download.default_directory": str(downloads)})
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    driver = webdriver.Chrome(options, webdriver.ChromeService("/usr/bin/chromedriver"))
    set_size(driver, *SIZE)
    return driver


def set_size(driver: webdriver.Chrome, width: int, height: int) -> None:
    """The window option gives a smaller viewport than asked for; this one is exact."""
    metrics = {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False}
    driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)


class Page:
    """The interface as a user meets it: by labels, buttons and text."""

    def __init__(self, driver: webdriver.Chrome, address: str) -> None:
        self.driver, self.address = driver, address

    def open(self, path: str) -> None:
        """Go to an address of the interface."""
        self.driver.get(self.address + path)

    def sign_in(self, name: str, password: str, path: str = "/") -> None:
        """Be signed in: through the form the first time, later by the session that was begun then, while it lasts."""
        known: dict[str, list[dict[str, Any]]] = self.driver.__dict__.setdefault("signed_in", {})
        for cookie in known.get(name, []):
            self.driver.add_cookie(cookie)
        if name in known:
            self.open(path)
            self.wait(lambda: "Desk" in self.text() or "/sign-in" in self.driver.current_url, "the page")
            if "/sign-in" not in self.driver.current_url:
                return
        self.sign_in_by_form(name, password)
        known[name] = self.driver.get_cookies()
        if path != "/":
            self.open(path)

    def sign_in_by_form(self, name: str, password: str) -> None:
        """Sign in through the form, once it is there: whoever is signed in already is led past it."""
        self.driver.delete_all_cookies()
        self.open("/sign-in")
        self.fill("Name", name)
        self.fill("Password", password + Keys.ENTER)
        self.see("Desk")

    def wait(self, holds: Callable[[], Any], what: str) -> Any:
        """What `holds` gives, once it gives something. Fails with what is on screen instead."""
        try:
            return WebDriverWait(self.driver, PATIENCE, 0.05, _PASSING).until(lambda _: holds())
        except TimeoutException:
            shown = self.text()[:1500]
            raise AssertionError(f"waited in vain for {what}; on screen:\n{shown}") from None

    def text(self) -> str:
        """All text on screen, a line a line."""
        # Asked of the page itself: Selenium looks at each element by itself whether it is shown.
        shown = str(self.driver.execute_script("return document.body ? document.body.innerText : ''"))
        return "\n".join(line for line in (" ".join(line.split()) for line in shown.splitlines()) if line)

    def at_the_page(self) -> None:
        """Wait until no dialog stands over the page: its keys are the page's again."""
        self.wait(lambda: not self.driver.find_elements(By.CSS_SELECTOR, "[role=dialog]"), "the dialog closed")

    def hover(self, element: WebElement) -> None:
        """Point at the middle of an element, coming from a little beside it."""
        ActionChains(self.driver).move_to_element_with_offset(element, 20, 20).move_to_element(element).perform()

    def see(self, text: str) -> None:
        """Wait until a text is on screen."""
        self.wait(lambda: text in self.text(), f"“{text}”")

    def not_see(self, text: str) -> None:
        """Wait until a text is gone."""
        self.wait(lambda: text not in self.text(), f"no “{text}”")

    def element(self, css: str) -> WebElement:
        """The first shown element by CSS."""
        found: WebElement = self.wait(
            lambda: next((e for e in self.driver.find_elements(By.CSS_SELECTOR, css) if e.is_displayed()), None), css
        )
        return found

    def labelled(self, label: str) -> WebElement:
        """A control by its accessible name: an aria-label, or a label that belongs to it."""
        quoted = _quoted(label)
        path = f"//*[@aria-label={quoted}][not(self::section)]|//*[@id=(//label[normalize-space()={quoted}]/@for)]"
        found: WebElement = self.wait(
            lambda: next((e for e in self.driver.find_elements(By.XPATH, path) if e.is_displayed()), None), label
        )
        return found

    def fill(self, label: str, text: str) -> None:
        """Type into a field, replacing what is there."""
        field = self.labelled(label)
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(text)

    def see_in(self, css: str, pattern: str) -> None:
        """Wait until the first shown element by CSS has such a text, its lines one."""
        self.wait(lambda: re.search(pattern, " ".join(self.element(css).text.split())), f"“{pattern}” in {css}")

    def holds(self, label: str, value: str) -> None:
        """Wait until a field holds this."""
        self.wait(lambda: self.labelled(label).get_attribute("value") == value, f"“{value}” in “{label}”")

    def click(self, name: str) -> None:
        """Press a button or link by what it is called; waits until it can be pressed."""
        quoted = _quoted(name)
        path = (
            f"//*[self::button or self::a or @role='option' or @role='radio']"
            f"[normalize-space()={quoted} or @aria-label={quoted}"
            f" or starts-with(normalize-space(), concat({quoted}, ' '))]"
        )

        def press() -> bool:
            for element in self.driver.find_elements(By.XPATH, path):
                if element.is_displayed() and element.is_enabled():
                    self.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", element)
                    element.click()
                    return True
            return False

        self.wait(press, f"the button “{name}”")

    def study(self, question: str) -> None:
        """Go into a study from the desk, which has doors of the same names as the study."""
        self.click(question)
        self.element("nav[aria-label=Study]")

    def choose(self, label: str, option: str) -> None:
        """Choose from a list by keyboard: open it, type the beginning, take it."""
        self.labelled(label).send_keys(Keys.ENTER)
        quoted = _quoted(option)
        path = f"//*[@role='option'][normalize-space()={quoted}]"
        found = self.wait(lambda: self.driver.find_elements(By.XPATH, path), f"the choice “{option}”")[0]
        found.click()
        self.wait(lambda: option in self.labelled(label).text, f"“{option}” chosen")

    def press(self, *keys: str) -> None:
        """Press keys where the focus is."""
        ActionChains(self.driver).send_keys(*keys).perform()

    def chord(self, held: str, key: str) -> None:
        """Press a key while another is held."""
        ActionChains(self.driver).key_down(held).send_keys(key).key_up(held).perform()

    def tab_to(self, label: str) -> None:
        """Go to a control by the Tab key alone; fails where Tab does not lead there."""
        script = (
            "const e = document.activeElement;"
            "return (e.getAttribute('aria-label') || e.labels?.[0]?.textContent || e.textContent || '').trim()"
        )
        for _ in range(150):
            if str(self.driver.execute_script(script)).startswith(label):
                return
            self.press(Keys.TAB)
        raise AssertionError(f"Tab leads to no “{label}”; on screen:\n{self.text()[:1500]}")

    def take(self, label: str, option: str) -> None:
        """Choose from a list by keys alone."""
        self.tab_to(label)
        self.press(Keys.ENTER)
        self.wait(lambda: self.driver.find_elements(By.CSS_SELECTOR, "[role=option]"), "the list")
        for _ in range(60):
            if str(self.driver.execute_script("return document.activeElement.textContent")).startswith(option):
                break
            self.press(Keys.ARROW_DOWN)
        self.press(Keys.ENTER)
        self.wait(lambda: option in self.labelled(label).text, f"“{option}” chosen")

    def accept(self, what: str, reason: str) -> None:
        """Accept a difference, or what nobody wrote down, with a reason."""
        self.click(f"Accept {what}")
        self.see("This prints with every finding of the study.")
        self.fill("Why it may stand", reason)
        self.press(Keys.ENTER)
        self.see(f"Accepted: {reason}")

    def hand_in(self, *files: Path) -> None:
        """Give files to the intake, as choosing them does."""
        field = self.wait(lambda: self.driver.find_elements(By.CSS_SELECTOR, "input[type=file]"), "the file field")[0]
        field.send_keys("\n".join(str(file) for file in files))

    def hand_in_folder(self, folder: Path) -> None:
        """Give a folder to the intake, as choosing it does."""
        path = "//input[@aria-label='Folder of captures']"
        self.wait(lambda: self.driver.find_elements(By.XPATH, path), "the field of folders")[0].send_keys(str(folder))

    def saved(self, folder: Path, pattern: str, press: Callable[[], None]) -> bytes:
        """What a press saves into the folder, once it is there whole."""
        for old in folder.iterdir():
            old.unlink()
        press()
        file = self.wait(lambda: next(iter(folder.glob(pattern)), None), f"the file {pattern}")
        self.wait(lambda: not list(folder.glob("*.crdownload")), "the end of the download")
        content: bytes = file.read_bytes()
        return content

    def take_from(self, menu: str, action: str) -> None:
        """Open a menu and choose from it."""
        self.click(menu)
        path = f"//*[@role='menuitem'][normalize-space()='{action}']"
        self.wait(lambda: self.driver.find_elements(By.XPATH, path), action)[0].click()

    def drop(self, css: str, files: list[Path]) -> None:
        """Drop files onto an element, as from a file manager."""
        target = self.element(css)
        self.driver.execute_script(
            "const i = document.createElement('input'); i.type = 'file'; i.multiple = true; i.id = 'carried';"
            "document.body.append(i);"
        )
        self.driver.find_element(By.ID, "carried").send_keys("\n".join(str(file) for file in files))
        self.driver.execute_script(
            "const i = document.getElementById('carried'), t = new DataTransfer();"
            "for (const f of i.files) t.items.add(f); i.remove();"
            "for (const n of ['dragover', 'drop'])"
            " arguments[0].dispatchEvent(new DragEvent(n, {dataTransfer: t, bubbles: true, cancelable: true}));",
            target,
        )

    def shot(self, file: Path) -> None:
        """A picture of the viewport."""
        picture = self.driver.execute_cdp_cmd("Page.captureScreenshot", {"format": "png"})
        file.write_bytes(base64.b64decode(picture["data"]))


def _quoted(text: str) -> str:
    if '"' not in text:
        return f'"{text}"'
    return "concat(" + ", '\"', ".join(f'"{part}"' for part in text.split('"')) + ")"
