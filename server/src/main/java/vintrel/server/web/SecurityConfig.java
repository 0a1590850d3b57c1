package vintrel.server.web;

import jakarta.servlet.FilterChain;
import jakarta.servlet.ServletException;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
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
import org.springframework.security.config.http.SessionCreationPolicy;
import org.springframework.security.core.authority.SimpleGrantedAuthority;
import org.springframework.security.core.context.SecurityContextHolder;
import org.springframework.security.crypto.bcrypt.BCryptPasswordEncoder;
import org.springframework.security.crypto.password.PasswordEncoder;
import org.springframework.security.web.SecurityFilterChain;
import org.springframework.security.web.authentication.UsernamePasswordAuthenticationFilter;
import org.springframework.security.web.header.writers.ReferrerPolicyHeaderWriter.ReferrerPolicy;
import org.springframework.web.filter.OncePerRequestFilter;
import vintrel.core.wire.OtlpStatus;

/**
 * Who may do what. The API takes bearer tokens and knows no session; pages take a session, CSRF
 * protection and roles: a viewer looks, an editor changes, an administrator keeps people and
 * tokens. In the demo whoever comes is the demo user, an editor.
 */
@Configuration
class SecurityConfig {
  static final String POLICY =
      "default-src 'self'; script-src 'self'; style-src 'self'; img-src 'self' data:; object-src"
          + " 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'";

  @Bean
  PasswordEncoder passwordEncoder() {
    return new BCryptPasswordEncoder();
  }

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
                a.requestMatchers("/v1/**", "/api/v1/samples", "/api/v1/import")
                    .hasAnyAuthority("INGEST", "ALL")
                    .requestMatchers(HttpMethod.POST, "/api/v1/definitions")
                    .hasAuthority("ALL")
                    .requestMatchers("/api/v1/backup", "/api/v1/tokens")
                    .hasAuthority("ALL")
                    .requestMatchers(HttpMethod.POST, "/api/v1/stores")
                    .hasAuthority("ALL")
                    .requestMatchers(HttpMethod.DELETE, "/api/v1/**")
                    .hasAuthority("ALL")
                    .requestMatchers("/api/v1/**")
                    .hasAnyAuthority("READ", "ALL")
                    .anyRequest()
                    .denyAll())
        .exceptionHandling(
            e ->
                e.authenticationEntryPoint(
                        (req, res, x) -> refuse(req, res, 401, "unauthenticated", unknown(req)))
                    .accessDeniedHandler(
                        (req, res, x) ->
                            refuse(
                                req,
                                res,
                                403,
                                "forbidden",
                                "this token's scope does not allow it")))
        .build();
  }

  /** Why nobody is known to send a request. */
  private static String unknown(HttpServletRequest req) {
    var sent = req.getHeader("Authorization");
    if (sent == null || sent.isBlank()) {
      return "no token: send the header Authorization: Bearer TOKEN";
    }
    return sent.regionMatches(true, 0, "Bearer ", 0, 7)
        ? "the token is not known: it is wrong, or it was revoked"
        : "the header Authorization must be Bearer TOKEN";
  }

  /** Answers as the API does, but to OTLP in protocol buffers in kind. */
  private static void refuse(
      HttpServletRequest req, HttpServletResponse res, int status, String code, String text)
      throws IOException {
    res.setStatus(status);
    var type = String.valueOf(req.getContentType());
    if (req.getRequestURI().startsWith("/v1/") && type.startsWith("application/x-protobuf")) {
      res.setContentType("application/x-protobuf");
      int otlp = status == 401 ? OtlpStatus.UNAUTHENTICATED : OtlpStatus.PERMISSION_DENIED;
      res.getOutputStream().write(OtlpStatus.failure(otlp, text));
      return;
    }
    res.setContentType("application/json");
    res.getWriter().write("{\"error\":{\"code\":\"" + code + "\",\"text\":\"" + text + "\"}}");
  }

  @Bean
  @Order(2)
  SecurityFilterChain pages(HttpSecurity http, Settings settings) throws Exception {
    http.authorizeHttpRequests(
            a ->
                a.requestMatchers("/health/**", "/assets/**", "/signin", "/error", "/favicon.ico")
                    .permitAll()
                    .requestMatchers(
                        "/collect/tokens/**", "/people/**", "/collect/elsewhere/*/remove")
                    .hasRole("ADMIN")
                    .requestMatchers(HttpMethod.POST, "/collect/elsewhere")
                    .hasRole("ADMIN")
                    .requestMatchers("/bench/panel", "/bench/rule")
                    .hasRole("EDITOR")
                    .requestMatchers("/bench/**", "/prefs", "/signout", "/password")
                    .hasRole("VIEWER")
                    .requestMatchers(HttpMethod.GET, "/**")
                    .hasRole("VIEWER")
                    .requestMatchers("/dashboards/*/panels/**", "/notify/try")
                    .hasRole("VIEWER")
                    .anyRequest()
                    .hasRole("EDITOR"))
        .formLogin(f -> f.loginPage("/signin").defaultSuccessUrl("/", false).permitAll())
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

  /** Reads the bearer token of a request. */
  private static final class TokenFilter extends OncePerRequestFilter {
    private final TokenCheck tokens;

    TokenFilter(TokenCheck tokens) {
      this.tokens = tokens;
    }

    @Override
    protected void doFilterInternal(
        HttpServletRequest request, HttpServletResponse response, FilterChain chain)
        throws ServletException, IOException {
      var header = request.getHeader("Authorization");
      if (header != null && header.startsWith("Bearer ")) {
        tokens
            .holder(header.substring(7).strip())
            .ifPresent(
                h -> {
                  var who =
                      UsernamePasswordAuthenticationToken.authenticated(
                          h.name(), null, List.of(new SimpleGrantedAuthority(h.scope().name())));
                  who.setDetails(h);
                  SecurityContextHolder.getContext().setAuthentication(who);
                });
      }
      chain.doFilter(request, response);
    }
  }
}
