"""A database for each test process, an application on it, and a browser where a test asks for one."""

from __future__ import annotations

import os
import threading
from collections.abc import Iterator

import psycopg
import pytest
from hypothesis import settings
from sqlalchemy import Engine, text
from sqlalchemy.orm import Session

from bruvet.records.models import Base
from bruvet.records.people import Person
from bruvet.records.store import migrate, open_engine

# No property is held by a clock: a busy machine would make it fail.
settings.register_profile("bruvet", deadline=None)
settings.load_profile("bruvet")

NAME, PASSWORD = "Tester", "a long enough password"


@pytest.fixture(scope="session")
def database_url(worker_id: str) -> str:
    server = os.environ.get("BRUVET_TEST_SERVER")
    if not server:
        pytest.skip("no test server: run the tests with ./bruvet test")
    name = f"test_{worker_id}"
    with psycopg.connect(server.replace("+psycopg", ""), autocommit=True) as connection:
        connection.execute(f"DROP DATABASE IF EXISTS {name}")
        connection.execute(f"CREATE DATABASE {name}")
    url = server.rsplit("/", 1)[0] + "/" + name
    migrate(url)
    return url


@pytest.fixture(scope="session")
def password_hash() -> str:
    from bruvet.web.access import hasher

    return hasher.hash(PASSWORD)


@pytest.fixture
def engine(database_url: str) -> Iterator[Engine]:
    """An engine on an empty database."""
    engine = open_engine(database_url)
    tables = ", ".join(table.name for table in Base.metadata.sorted_tables)
    with engine.begin() as connection:
        connection.execute(text(f"TRUNCATE {tables}, procrastinate_jobs RESTART IDENTITY CASCADE"))
    yield engine
    engine.dispose()


@pytest.fixture
def session(engine: Engine) -> Iterator[Session]:
    with Session(engine, expire_on_commit=False) as session:
        yield session


@pytest.fixture
def app(engine: Engine, database_url: str, password_hash: str):
    from bruvet.web import create_app

    app = create_app({"DATABASE_URL": database_url, "SECRET_KEY": "only for tests"})
    with Session(engine) as session:
        session.add(Person(name=NAME, password_hash=password_hash))
        session.commit()
    yield app
    app.extensions["engine"].dispose()


class Visitor:
    """A browser without script: gets pages and posts forms with their token."""

    def __init__(self, app) -> None:
        self.client = app.test_client()

    def get(self, address: str, **more):
        return self.client.get(address, **more)

    def token(self, address: str = "/sign-in") -> str:
        import re

        found = re.search(r'name="csrf_token" value="([^"]+)"', self.get(address, follow_redirects=True).text)
        assert found, f"no form at {address}"
        return found.group(1)

    def post(self, address: str, form: dict | None = None, at: str | None = None, follow: bool = True):
        data = {"csrf_token": self.token(at or "/sign-in"), **(form or {})}
        return self.client.post(address, data=data, follow_redirects=follow, content_type="multipart/form-data")

    def sign_in(self, name: str = NAME, password: str = PASSWORD):
        return self.post("/sign-in", {"name": name, "password": password})


@pytest.fixture
def visitor(app) -> Visitor:
    return Visitor(app)


@pytest.fixture
def member(visitor: Visitor) -> Visitor:
    assert visitor.sign_in().status_code == 200
    return visitor


@pytest.fixture
def site(app) -> Iterator[str]:
    """The application served on a loopback port, for a real browser."""
    from werkzeug.serving import make_server

    server = make_server("127.0.0.1", 0, app, threaded=True)
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    yield f"http://127.0.0.1:{server.port}"
    server.shutdown()
    thread.join()


@pytest.fixture(scope="session")
def chromium():
    from playwright.sync_api import expect, sync_playwright

    from bruvet.command.shooting import browser_options

    # A busy machine is slow, not wrong.
    expect.set_options(timeout=20_000)

    if "BRUVET_CHROMIUM" not in os.environ:
        pytest.skip("no Chromium: run the tests with ./bruvet test")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(**browser_options())
        yield browser
        browser.close()


@pytest.fixture
def page(chromium, site: str):
    """A signed-in page of the served site; errors in its script fail the test."""
    context = chromium.new_context(viewport={"width": 1280, "height": 800}, base_url=site)
    page = context.new_page()
    troubles: list[str] = []
    page.on("pageerror", lambda error: troubles.append(str(error)))
    page.on("console", lambda m: troubles.append(m.text) if "Content Security Policy" in m.text else None)
    page.goto("/sign-in")
    page.fill("#name", NAME)
    page.fill("#password", PASSWORD)
    page.click("main button")
    page.wait_for_selector("text=Trials")
    yield page
    context.close()
    assert not troubles, troubles
