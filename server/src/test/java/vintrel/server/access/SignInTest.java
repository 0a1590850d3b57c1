package vintrel.server.access;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.springframework.security.test.web.servlet.request.SecurityMockMvcRequestBuilders.formLogin;
import static org.springframework.security.test.web.servlet.request.SecurityMockMvcRequestPostProcessors.csrf;
import static org.springframework.security.test.web.servlet.request.SecurityMockMvcRequestPostProcessors.user;
import static org.springframework.security.test.web.servlet.setup.SecurityMockMvcConfigurers.springSecurity;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.get;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.post;

import java.io.ByteArrayOutputStream;
import java.io.PrintStream;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.springframework.test.web.servlet.setup.MockMvcBuilders;
import org.springframework.web.context.WebApplicationContext;
import vintrel.server.RunningServer;
import vintrel.server.database.Database;

class SignInTest {
  private static final ByteArrayOutputStream TERMINAL = new ByteArrayOutputStream();
  private static final PrintStream BEFORE = System.err;

  static {
    System.setErr(new PrintStream(TERMINAL, true));
  }

  @RegisterExtension static final RunningServer server = new RunningServer();

  @Test
  void theFirstStartMakesAnAdministratorWhoMustReplaceTheOneTimePassword() throws Exception {
    System.setErr(BEFORE);
    var shown = Pattern.compile("one-time password (\\S+)").matcher(TERMINAL.toString());
    assertThat(shown.find()).isTrue();
    var password = shown.group(1);
    var mvc =
        MockMvcBuilders.webAppContextSetup((WebApplicationContext) server.context())
            .apply(springSecurity())
            .build();
    assertThat(signIn(mvc, "wrong")).isEqualTo("/signin?error");
    assertThat(signIn(mvc, password)).isEqualTo("/");
    var admin = user("admin").roles("ADMIN");
    assertThat(mvc.perform(get("/bench").with(admin)).andReturn().getResponse().getRedirectedUrl())
        .isEqualTo("/password");
    var short_ =
        mvc.perform(
                post("/password")
                    .param("old", password)
                    .param("wanted", "short")
                    .with(admin)
                    .with(csrf()))
            .andReturn();
    assertThat(short_.getResponse().getContentAsString()).contains("at least 12 characters");
    mvc.perform(
        post("/password")
            .param("old", password)
            .param("wanted", "a much better one")
            .with(admin)
            .with(csrf()));
    assertThat(mvc.perform(get("/bench").with(admin)).andReturn().getResponse().getStatus())
        .isEqualTo(200);
    assertThat(signIn(mvc, password)).isEqualTo("/signin?error");
    assertThat(signIn(mvc, "a much better one")).isEqualTo("/");
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "short", "password1234", "Password2026!", "123456789012", "qwertyuiop12", "letmein!!!!!!!",
        "adminadminadmin", "aaaaaaaaaaaa", "kimkimkimkim", "Welcome12345", "987654321098",
            "P@ssw0rd1234"
      })
  void passwordsThatAreTriedFirstAreRefused(String password) {
    assertThatThrownBy(() -> PasswordRules.check(password, "kim"))
        .isInstanceOf(IllegalArgumentException.class);
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "a much better one",
        "gulls over the slipway",
        "correct lamp tide 7",
        "nWx7-pq2K-zz9L",
        "überfahrt im nebel"
      })
  void othersAreTakenWithoutRulesOnTheirCharacters(String password) {
    PasswordRules.check(password, "kim");
  }

  /** A person with a browser: cookies, and the token that the page carries. */
  private static final class Browser {
    private final java.net.http.HttpClient http =
        java.net.http.HttpClient.newBuilder()
            .cookieHandler(new java.net.CookieManager())
            .followRedirects(java.net.http.HttpClient.Redirect.NEVER)
            .build();

    java.net.http.HttpResponse<String> get(String path) throws Exception {
      var request =
          java.net.http.HttpRequest.newBuilder(java.net.URI.create(server.base() + path))
              .header("Accept", "text/html");
      return http.send(request.build(), java.net.http.HttpResponse.BodyHandlers.ofString());
    }

    /** Where it leads, from a form on a page. */
    String post(String page, String path, String fields) throws Exception {
      var token = Pattern.compile("name=\"_csrf\" value=\"([^\"]+)\"").matcher(get(page).body());
      assertThat(token.find()).isTrue();
      var body =
          fields
              + "&_csrf="
              + java.net.URLEncoder.encode(token.group(1), java.nio.charset.StandardCharsets.UTF_8);
      var request =
          java.net.http.HttpRequest.newBuilder(java.net.URI.create(server.base() + path))
              .header("Accept", "text/html")
              .header("Content-Type", "application/x-www-form-urlencoded")
              .POST(java.net.http.HttpRequest.BodyPublishers.ofString(body));
      var answer = http.send(request.build(), java.net.http.HttpResponse.BodyHandlers.ofString());
      return answer
          .headers()
          .firstValue("Location")
          .map(l -> l.replaceFirst("http://[^/]+", ""))
          .orElse("" + answer.statusCode());
    }
  }

  private static void person(String name, String password) {
    var row = new UserRow();
    row.name = name;
    row.password =
        server
            .bean(org.springframework.security.crypto.password.PasswordEncoder.class)
            .encode(password);
    row.role = "VIEWER";
    server.bean(Database.class).run(s -> s.insert(row));
  }

  @Test
  void aChangedPasswordEndsAllOtherSessions() throws Exception {
    person("robin", "gulls over the slipway");
    var here = new Browser();
    var there = new Browser();
    for (var b : java.util.List.of(here, there)) {
      assertThat(b.get("/bench").statusCode()).isEqualTo(302);
      assertThat(
              b.post(
                  "/signin?to=/bench",
                  "/signin",
                  "to=/bench&username=robin&password=gulls+over+the+slipway"))
          .isEqualTo("/bench");
      assertThat(b.get("/bench").statusCode()).isEqualTo(200);
    }
    assertThat(here.get("/password").body()).contains("Sign out other sessions");
    assertThat(
            here.post(
                "/password",
                "/password",
                "old=gulls+over+the+slipway&wanted=nine+ropes+and+a+lamp"))
        .isEqualTo("/");
    assertThat(here.get("/bench").statusCode()).isEqualTo(200);
    assertThat(there.get("/bench").statusCode()).as("ended").isEqualTo(302);
    assertThat(there.post("/signin", "/signin", "username=robin&password=nine+ropes+and+a+lamp"))
        .isEqualTo("/");
    here.post("/password", "/password/others", "");
    assertThat(there.get("/bench").statusCode()).as("ended by hand").isEqualTo(302);
  }

  @Test
  void whoTriesTooOftenWaits() throws Exception {
    person("sam", "gulls over the slipway");
    var browser = new Browser();
    for (int i = 0; i < 4; i++) {
      assertThat(browser.post("/signin", "/signin", "username=sam&password=wrong" + i))
          .isEqualTo("/signin?error");
    }
    assertThat(browser.post("/signin", "/signin", "username=sam&password=gulls+over+the+slipway"))
        .matches("/signin\\?wait=\\d+");
    assertThat(browser.get("/signin?wait=4").body()).contains("Try again in");
    RunningServer.await(
        "the wait is over",
        () -> server.bean(vintrel.server.web.SignInGuard.class).wait("sam", "127.0.0.1") == 0);
    assertThat(browser.post("/signin", "/signin", "username=sam&password=gulls+over+the+slipway"))
        .isEqualTo("/");
  }

  private static String signIn(org.springframework.test.web.servlet.MockMvc mvc, String password)
      throws Exception {
    return mvc.perform(formLogin("/signin").user("admin").password(password))
        .andReturn()
        .getResponse()
        .getRedirectedUrl();
  }

  @Test
  void aTokenIsShownOnceAndWorthlessAfterItWasRevoked() {
    var tokens = server.bean(Tokens.class);
    var token = tokens.make("booking", vintrel.server.web.TokenCheck.Scope.READ, "", "admin");
    assertThat(tokens.all().toString()).contains("booking").doesNotContain(token);
    assertThat(tokens.check(token, "127.0.0.1").holder()).isNotNull();
    assertThatThrownBy(
            () -> tokens.make("booking", vintrel.server.web.TokenCheck.Scope.READ, "", "admin"))
        .hasMessageContaining("already");
    tokens.revoke(tokens.all().getFirst().id());
    assertThat(tokens.check(token, "127.0.0.1").status()).isEqualTo(401);
  }
}
