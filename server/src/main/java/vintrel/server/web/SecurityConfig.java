package vintrel.server.web;

import jakarta.servlet.FilterChain;
import jakarta.servlet.ServletException;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import java.time.Clock;
import java.util.ArrayList;
import java.util.List;
import org.springframework.context.annotation.Bean;
import org.springframework.context.annotation.Configuration;
import org.springframework.core.annotation.Order;
import org.springframework.http.HttpMethod;
import org.springframework.security.access.hierarchicalroles.RoleHierarchy;
import org.springframework.security.access.hierarchicalroles.RoleHierarchyImpl;
import org.springframework.security.authentication.UsernamePasswordAuthenticationToken;
import org.springframework.security.config.Customizer;
import org.springframework.security.config.annotation.web.builders.HttpSecurity;
import org.springframework.security.config.annotation.web.configurers.AuthorizeHttpRequestsConfigurer;
import org.springframework.security.config.http.SessionCreationPolicy;
import org.springframework.security.core.authority.SimpleGrantedAuthority;
import org.springframework.security.core.context.SecurityContextHolder;
import org.springframework.security.web.SecurityFilterChain;
import org.springframework.security.web.authentication.UsernamePasswordAuthenticationFilter;
import org.springframework.security.web.context.SecurityContextHolderFilter;
import org.springframework.security.web.csrf.CookieCsrfTokenRepository;
import org.springframework.security.web.header.writers.ReferrerPolicyHeaderWriter.ReferrerPolicy;
import org.springframework.web.filter.OncePerRequestFilter;

/**
 * Who may do what. The API takes bearer tokens and knows no session; pages take a session, CSRF
 * protection and roles: a viewer looks, an editor changes, an administrator keeps people and
 * tokens. In the demo whoever comes is the demo user, an editor.
 */
@Configuration
class SecurityConfig {
  /** Sessions of one person at a time; the oldest ends beyond that. */
  private static final int MAX_PLACES = 20;

  static final String POLICY =
      "default-src 'self'; script-src 'self'; style-src 'self'; img-src 'self' data:; object-src"
          + " 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'";

  @Bean
  RoleHierarchy roleHierarchy() {
    return RoleHierarchyImpl.withDefaultRolePrefix()
        .role("ADMIN")
        .implies("EDITOR")
        .role("EDITOR")
        .implies("VIEWER")
        .build();
  }

  @Bean
  @Order(1)
  SecurityFilterChain api(HttpSecurity http, TokenCheck tokens) throws Exception {
    return http.securityMatcher("/api/**", "/v1/**")
        .csrf(c -> c.disable())
        .sessionManagement(s -> s.sessionCreationPolicy(SessionCreationPolicy.STATELESS))
        .requestCache(c -> c.disable())
        .addFilterBefore(new TokenFilter(tokens), UsernamePasswordAuthenticationFilter.class)
        .authorizeHttpRequests(
            a ->
                a.requestMatchers("/v1/logs")
                    .hasAuthority("EVENTS")
                    .requestMatchers("/v1/**", "/api/v1/samples", "/api/v1/import")
                    .hasAuthority("METRICS")
                    .requestMatchers(
                        "/api/v1/backup", "/api/v1/tokens", "/api/v1/people", "/api/v1/people/**")
                    .hasAuthority(TokenFilter.FULL)
                    .requestMatchers(
                        HttpMethod.POST, "/api/v1/definitions", "/api/v1/definitions/*/*/restore")
                    .hasAuthority(TokenFilter.DEFINE_ALL)
                    .requestMatchers(HttpMethod.PUT, "/api/v1/definitions/**")
                    .hasAuthority(TokenFilter.DEFINE_ALL)
                    .requestMatchers(HttpMethod.DELETE, "/api/v1/definitions/**")
                    .hasAuthority(TokenFilter.DEFINE_ALL)
                    .requestMatchers(HttpMethod.POST, "/api/v1/stores")
                    .hasAuthority(TokenFilter.FULL)
                    .requestMatchers(HttpMethod.POST, "/api/v1/alerts/**", "/api/v1/shelves")
                    .hasAuthority(TokenFilter.FULL)
                    .requestMatchers(HttpMethod.PUT, "/api/v1/**")
                    .hasAuthority(TokenFilter.FULL)
                    .requestMatchers(HttpMethod.DELETE, "/api/v1/**")
                    .hasAuthority(TokenFilter.FULL)
                    .requestMatchers("/api/v1/definitions/**")
                    .hasAnyAuthority(TokenFilter.READ_ALL, TokenFilter.DEFINE_ALL)
                    .requestMatchers(
                        "/api/v1/alerts/**",
                        "/api/v1/deliveries",
                        "/api/v1/shelves",
                        "/api/v1/notify/**",
                        "/api/v1/stores",
                        "/api/v1/rules/**")
                    .hasAuthority(TokenFilter.READ_ALL)
                    .requestMatchers("/api/v1/collectors/**")
                    .hasAnyAuthority("METRICS", TokenFilter.READ_ALL)
                    .requestMatchers("/api/v1/**")
                    .hasAuthority("READ")
                    .anyRequest()
                    .denyAll())
        .exceptionHandling(
            e ->
                e.authenticationEntryPoint(
                        (req, res, x) -> {
                          var refused = TokenFilter.refusal(req);
                          int status = refused == null ? 401 : refused.status();
                          var code = status == 401 ? "unauthenticated" : "forbidden";
                          Answers.refuse(req, res, status, code, unknown(req));
                        })
                    .accessDeniedHandler(
                        (req, res, x) -> {
                          AccessLog.refused(CurrentUser.name(), req.getMethod() + " " + path(req));
                          Answers.refuse(
                              req,
                              res,
                              403,
                              "forbidden",
                              "this token lacks the permission; see Collect · Tokens");
                        }))
        .build();
  }

  private static String path(HttpServletRequest request) {
    return request.getRequestURI();
  }

  /** Why a request has no known sender. */
  private static String unknown(HttpServletRequest req) {
    var sent = req.getHeader("Authorization");
    if (sent == null || sent.isBlank()) {
      return "no token: send the header Authorization: Bearer TOKEN";
    }
    var refused = TokenFilter.refusal(req);
    return refused != null ? refused.reason() : "the header Authorization must be Bearer TOKEN";
  }

  /** Before sign-in there is no session, and nothing is stored. */
  @Bean
  @Order(2)
  SecurityFilterChain pages(
      HttpSecurity http,
      Settings settings,
      SignInGuard guard,
      PersonZones zones,
      SignedIn signedIn,
      Clock clock)
      throws Exception {
    var steps = new SignInSteps(guard, zones);
    http.authorizeHttpRequests(SecurityConfig::rules)
        .csrf(c -> c.csrfTokenRepository(csrf()))
        .requestCache(c -> c.disable())
        .addFilterBefore(steps, UsernamePasswordAuthenticationFilter.class)
        .addFilterAfter(
            new SessionLength(settings.sessionLength(), clock), SecurityContextHolderFilter.class)
        .sessionManagement(
            s ->
                s.sessionConcurrency(
                    c ->
                        c.maximumSessions(MAX_PLACES)
                            .sessionRegistry(signedIn.registry())
                            .expiredUrl("/signin")))
        .exceptionHandling(
            e ->
                e.authenticationEntryPoint(steps)
                    .accessDeniedHandler(
                        (req, res, x) -> {
                          AccessLog.refused(CurrentUser.name(), req.getMethod() + " " + path(req));
                          res.sendError(403);
                        }))
        .formLogin(
            f -> f.loginPage("/signin").successHandler(steps).failureHandler(steps).permitAll())
        .logout(l -> l.logoutUrl("/signout").logoutSuccessUrl("/signin"))
        .headers(
            h ->
                h.contentSecurityPolicy(c -> c.policyDirectives(POLICY))
                    .referrerPolicy(r -> r.policy(ReferrerPolicy.SAME_ORIGIN))
                    .frameOptions(Customizer.withDefaults()));
    if (settings.demo()) {
      http.anonymous(a -> a.principal("demo").authorities("ROLE_EDITOR"));
    }
    return http.build();
  }

  private static CookieCsrfTokenRepository csrf() {
    // The pages carry the token themselves, so no script needs to read the cookie.
    var cookies = new CookieCsrfTokenRepository();
    cookies.setCookieName("vintrel-csrf");
    cookies.setHeaderName("X-CSRF-TOKEN");
    cookies.setCookieCustomizer(c -> c.sameSite("Lax").httpOnly(true));
    return cookies;
  }

  private static void rules(
      AuthorizeHttpRequestsConfigurer<HttpSecurity>.AuthorizationManagerRequestMatcherRegistry a) {
    a.requestMatchers("/health/**", "/assets/**", "/signin", "/error", "/favicon.ico")
        .permitAll()
        .requestMatchers(HttpMethod.POST, "/collect/tokens/**")
        .hasRole("ADMIN")
        .requestMatchers(HttpMethod.POST, "/collect/tokens")
        .hasRole("ADMIN")
        .requestMatchers("/collect/elsewhere/*/remove")
        .hasRole("ADMIN")
        .requestMatchers(HttpMethod.POST, "/collect/elsewhere")
        .hasRole("ADMIN")
        .requestMatchers("/collect/connect/arrival", "/collect/*/edit")
        .hasRole("EDITOR")
        .requestMatchers("/bench/panel", "/dashboards/*/document", "/dashboards/import")
        .hasRole("EDITOR")
        .requestMatchers(
            "/bench/**",
            "/queries/edit",
            "/queries/outline",
            "/prefs/zone",
            "/signout",
            "/password",
            "/password/**")
        .hasRole("VIEWER")
        .requestMatchers(HttpMethod.GET, "/**")
        .hasRole("VIEWER")
        .requestMatchers(HttpMethod.HEAD, "/**")
        .hasRole("VIEWER")
        .requestMatchers(
            "/dashboards/*/panels/**",
            "/dashboards/*/star",
            "/notify/try",
            "/watch/rules/rehearsal",
            "/watch/rules/trade-off")
        .hasRole("VIEWER")
        .anyRequest()
        .hasRole("EDITOR");
  }

  /**
   * Reads the bearer token of a request. A token that is bound to a store reads and writes that
   * store alone, whatever its scope: it has nothing of what concerns all.
   */
  private static final class TokenFilter extends OncePerRequestFilter {
    static final String FULL = "FULL";
    static final String DEFINE_ALL = "DEFINE_UNBOUND";
    static final String READ_ALL = "READ_UNBOUND";
    private static final String REFUSAL = TokenFilter.class.getName() + ".refusal";
    private final TokenCheck tokens;

    TokenFilter(TokenCheck tokens) {
      this.tokens = tokens;
    }

    private static List<SimpleGrantedAuthority> rights(TokenCheck.Holder h) {
      var out = new ArrayList<SimpleGrantedAuthority>();
      for (var right : h.rights()) {
        out.add(new SimpleGrantedAuthority(right.name()));
        if (h.store().isEmpty()) {
          out.add(new SimpleGrantedAuthority(right.name() + "_UNBOUND"));
        }
      }
      if (h.isFull()) {
        out.add(new SimpleGrantedAuthority(FULL));
      }
      return out;
    }

    /** Why the token of a request was refused; null if it had none. */
    static TokenCheck.Verdict refusal(HttpServletRequest request) {
      return (TokenCheck.Verdict) request.getAttribute(REFUSAL);
    }

    @Override
    protected void doFilterInternal(
        HttpServletRequest request, HttpServletResponse response, FilterChain chain)
        throws ServletException, IOException {
      var header = request.getHeader("Authorization");
      if (header != null && header.regionMatches(true, 0, "Bearer ", 0, 7)) {
        var verdict = tokens.check(header.substring(7).strip(), request.getRemoteAddr());
        request.setAttribute(TokenCheck.NAME, verdict.name());
        var h = verdict.holder();
        if (h == null) {
          request.setAttribute(REFUSAL, verdict);
        } else {
          var who = UsernamePasswordAuthenticationToken.authenticated(h.name(), null, rights(h));
          who.setDetails(h);
          SecurityContextHolder.getContext().setAuthentication(who);
        }
      }
      chain.doFilter(request, response);
    }
  }
}
