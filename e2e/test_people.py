"""Accounts as people meet them: a second factor, sessions, links, and studies that are kept to some."""

from __future__ import annotations

import base64
import re

from browser import Page
from django_otp.oath import totp
from scratch import PASSWORD

FANS = "Does the quiet fan profile cost frames?"


def shown_code(secret: str) -> str:
    """What a device shows that was told the secret."""
    return f"{totp(base64.b32decode(secret.replace(' ', ''))):06d}"


def sign_out(page: Page) -> None:
    page.click("Sign out")
    page.see("Sign in")


def test_a_study_is_kept_to_some_and_opened_to_all(page: Page) -> None:
    page.sign_in("mara", PASSWORD)
    page.study(FANS)
    page.see("DOES THE QUIET FAN")
    page.take_from("More", "Who sees it")
    page.labelled("Keep it to some, until it is published").click()
    page.labelled("ilse, viewer").click()
    page.click("Keep")
    page.see("kept to some")
    address = page.driver.current_url
    sign_out(page)
    page.sign_in("tomke", PASSWORD)
    page.see("One memory stick or two?")
    assert FANS not in page.text()
    page.driver.get(address)
    page.see("There is no such study.")
    page.open("/")
    sign_out(page)
    page.sign_in("ilse", PASSWORD)
    page.see(FANS)
    page.see("kept to some")
    sign_out(page)
    page.sign_in("mara", PASSWORD)
    page.study(FANS)
    page.take_from("More", "Who sees it")
    page.labelled("Keep it to some, until it is published").click()
    page.click("Keep")
    page.not_see("kept to some")


def test_a_second_factor_is_made_used_and_given_up(page: Page) -> None:
    page.sign_in("tomke", PASSWORD)
    page.click("tomke · tester")
    page.see("Where you are signed in")
    page.click("Make a second factor")
    page.see("Let your device read the picture")
    secret = re.search(r"((?:[A-Z2-7]{4} ?){8})", page.text())
    assert secret
    page.fill("The code that it shows", shown_code(secret[1]))
    page.click("Use it from now on")
    page.see("Keep these spare codes")
    spare = page.element("section ul li").text
    sign_out(page)
    page.fill("Name", "tomke")
    page.fill("Password", PASSWORD)
    page.click("Sign in")
    page.see("Six digits that your device shows")
    page.fill("Code", spare)
    page.click("Sign in")
    page.see("tomke · tester")
    page.click("tomke · tester")
    page.fill("Your password, to give it up", PASSWORD)
    page.click("Give it up")
    page.see("Make a second factor")


def test_a_link_for_a_new_password_works_once(page: Page) -> None:
    page.sign_in("mara", PASSWORD)
    page.click("People")
    page.take_from("More about ilse", "A link for a new password")
    page.see("Give ilse this link for a new password")
    link = re.search(r"http://\S+/welcome#\S+", page.text())
    assert link
    page.click("I have it")
    page.see("Links that nobody used yet")
    sign_out(page)
    page.driver.get(link[0])
    page.see("A new password for ilse")
    page.fill("Password", "short")
    page.fill("The password again", "shorter")
    page.click("Keep it and sign in")
    page.see("The two passwords differ.")
    page.fill("Password", "another-good-password")
    page.fill("The password again", "another-good-password")
    page.click("Keep it and sign in")
    page.see("ilse · viewer")
    sign_out(page)
    page.driver.get(link[0])
    page.see("This link has been used, was withdrawn, or has ended.")
