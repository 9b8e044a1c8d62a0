/**
 * Settings that wpa_supplicant 2.10 takes, and the form of their values, as it tells itself when it is given each of its
 * names with many values. A setting or a value that it does not take loses the whole file.
 */

export type FieldForm =
  /** As C's strtol reads it, with bounds; null where there is none. */
  | { form: 'number'; from: number | null; to: number | null }
  /** In quotes, as octets in hexadecimal digits, or in P"…" with escapes. */
  | { form: 'text' }
  | { form: 'words'; of: ReadonlySet<string> }
  | { form: 'psk' | 'wep-key' | 'country' | 'address' | 'any' };

const words = (text: string): string[] => text.trim().split(/\s+/);
const named = (form: FieldForm, names: string): [string, FieldForm][] =>
  words(names).map((name) => [name, form]);
const oneOf = (name: string, list: string): [string, FieldForm] => [
  name,
  { form: 'words', of: new Set(words(list)) },
];

/** Settings of a network. */
export const networkFields: ReadonlyMap<string, FieldForm> = new Map([
  oneOf(
    'key_mgmt',
    `NONE WPA-PSK WPA-PSK-SHA256 SAE FT-PSK FT-SAE WPA-EAP WPA-EAP-SHA256 FT-EAP FT-EAP-SHA384 IEEE8021X OWE DPP WPA-NONE
     WPA-EAP-SUITE-B WPA-EAP-SUITE-B-192 FILS-SHA256 FILS-SHA384 FT-FILS-SHA256 FT-FILS-SHA384 OSEN WPS`,
  ),
  oneOf('proto', 'WPA RSN WPA2 OSEN'),
  oneOf('auth_alg', 'OPEN SHARED LEAP'),
  oneOf('pairwise', 'CCMP TKIP NONE GCMP CCMP-256 GCMP-256'),
  oneOf('group', 'CCMP TKIP GCMP CCMP-256 GCMP-256 WEP104 WEP40 GTK_NOT_USED'),
  oneOf('group_mgmt', 'AES-128-CMAC BIP-GMAC-128 BIP-GMAC-256 BIP-CMAC-256'),
  ['psk', { form: 'psk' }],
  ...named({ form: 'wep-key' }, 'wep_key0 wep_key1 wep_key2 wep_key3'),
  ['bssid', { form: 'address' }],
  ...named(
    { form: 'number', from: null, to: 1 },
    `
    acs beacon_prot disable_ht disable_ldpc disable_sgi disable_vht enable_edmg fixed_freq
    ft_eap_pmksa_caching ht ht40_intolerant macsec_integ_only macsec_policy macsec_replay_protect
    mesh_fwding mixed_cell multi_ap_backhaul_sta no_auto_peer owe_only owe_ptk_workaround
    proactive_key_caching scan_ssid vht wps_disabled
  `,
  ),
  ...named(
    { form: 'number', from: -1, to: 1 },
    `
    disable_ht40 disable_max_amsdu ht40 tx_stbc
  `,
  ),
  ...named(
    { form: 'number', from: -255, to: 1 },
    `
    mesh_rssi_threshold
  `,
  ),
  ...named(
    { form: 'number', from: null, to: 2 },
    `
    disabled dpp_pfs ignore_broadcast_ssid mac_addr pbss sae_pk wpa_deny_ptk0_rekey
  `,
  ),
  ...named(
    { form: 'number', from: null, to: 3 },
    `
    ieee80211w max_oper_chwidth
  `,
  ),
  ...named(
    { form: 'number', from: -1, to: 3 },
    `
    ampdu_factor rx_stbc vht_rx_mcs_nss_1 vht_rx_mcs_nss_2 vht_rx_mcs_nss_3 vht_rx_mcs_nss_4
    vht_rx_mcs_nss_5 vht_rx_mcs_nss_6 vht_rx_mcs_nss_7 vht_rx_mcs_nss_8 vht_tx_mcs_nss_1 vht_tx_mcs_nss_2
    vht_tx_mcs_nss_3 vht_tx_mcs_nss_4 vht_tx_mcs_nss_5 vht_tx_mcs_nss_6 vht_tx_mcs_nss_7 vht_tx_mcs_nss_8
  `,
  ),
  ...named(
    { form: 'number', from: -1, to: 7 },
    `
    ampdu_density
  `,
  ),
  ...named(
    { form: 'number', from: null, to: 255 },
    `
    mka_priority transition_disable
  `,
  ),
  ...named(
    { form: 'number', from: null, to: 65535 },
    `
    fils_dh_group owe_group
  `,
  ),
  ...named(
    { form: 'number', from: null, to: 70200 },
    `
    frequency
  `,
  ),
  ...named(
    { form: 'number', from: null, to: null },
    `
    ap_max_inactivity beacon_int bg_scan_period dpp_netaccesskey_expiry dtim_period eap_workaround
    eapol_flags engine engine2 erp fragment_size group_rekey machine_engine machine_ocsp
    macsec_replay_window mem_only_psk ocsp ocsp2 priority sim_num update_identifier vht_capa vht_capa_mask
    vht_center_freq1 vht_center_freq2 wep_tx_keyidx wpa_ptk_rekey
  `,
  ),
  ...named(
    { form: 'text' },
    `
    altsubject_match altsubject_match2 anonymous_identity bgscan ca_cert ca_cert2 ca_cert_id ca_cert_id2
    ca_path ca_path2 cert_id cert_id2 check_cert_subject check_cert_subject2 client_cert client_cert2
    dh_file dh_file2 domain_match domain_match2 domain_suffix_match domain_suffix_match2 dpp_connector
    dpp_csign dpp_netaccesskey dpp_pp_key engine_id engine_id2 ht_mcs id_str identity imsi_identity key_id
    key_id2 machine_altsubject_match machine_ca_cert machine_ca_cert_id machine_ca_path machine_cert_id
    machine_check_cert_subject machine_client_cert machine_dh_file machine_domain_match
    machine_domain_suffix_match machine_engine_id machine_identity machine_key_id machine_password
    machine_phase2 machine_pin machine_private_key machine_private_key_passwd machine_subject_match
    openssl_ciphers pac_file password pcsc phase1 phase2 pin pin2 private_key private_key2
    private_key2_passwd private_key_passwd roaming_consortium_selection sae_password sae_password_id ssid
    subject_match subject_match2
  `,
  ),
  // Taken whatever their value, or with forms of their own that headless boards do not need.
  ...named(
    { form: 'any' },
    `
    bssid_accept bssid_blacklist bssid_hint bssid_ignore bssid_whitelist eap edmg_channel freq_list
    go_p2p_dev_addr macsec_port mesh_basic_rates mka_cak mka_ckn mode ocv p2p_client_list peerkey psk_list
    scan_freq
  `,
  ),
]);

/** Settings outside networks. */
export const globalFields: ReadonlyMap<string, FieldForm> = new Map([
  ['country', { form: 'country' }],
  ...named(
    { form: 'number', from: null, to: 1 },
    `
    ap_isolate auto_interworking auto_uuid cert_in_cb coloc_intf_reporting disable_btm disassoc_low_ack
    extended_key_id filter_ssids ftm_initiator ftm_responder go_internet go_interworking hs20
    ignore_old_scan_res interworking mesh_fwding p2p_add_cli_chan p2p_cli_probe p2p_ignore_shared_freq
    p2p_intra_bss p2p_optimize_listen_chan pbc_in_m1 persistent_reconnect sae_pmkid_in_assoc
    wowlan_disconnect_on_deinit wpa_rsc_relaxation wps_cred_add_sae
  `,
  ),
  ...named(
    { form: 'number', from: null, to: 2 },
    `
    dpp_config_processing gas_rand_mac_addr wps_cred_processing
  `,
  ),
  ...named(
    { form: 'number', from: null, to: 3 },
    `
    oce p2p_go_freq_change_policy sae_pwe
  `,
  ),
  ...named(
    { form: 'number', from: 1, to: 3 },
    `
    eapol_version mbo_cell_capa
  `,
  ),
  ...named(
    { form: 'number', from: null, to: 15 },
    `
    access_network_type go_access_network_type p2p_go_intent
  `,
  ),
  ...named(
    { form: 'number', from: null, to: 127 },
    `
    p2p_go_ctwindow
  `,
  ),
  ...named(
    { form: 'number', from: null, to: 255 },
    `
    go_venue_group go_venue_type max_peer_links
  `,
  ),
  ...named(
    { form: 'number', from: 1, to: 255 },
    `
    fst_priority
  `,
  ),
  ...named(
    { form: 'number', from: null, to: null },
    `
    ap_scan beacon_int bss_expiration_age bss_expiration_scan_count bss_max_count disable_scan_offload
    dtim_period external_sim fast_reauth gas_address3 gas_rand_addr_lifetime key_mgmt_offload mac_addr
    max_num_sta mesh_max_inactivity okc p2p_6ghz_disable p2p_device_random_mac_addr p2p_disabled p2p_go_edmg
    p2p_go_he p2p_go_ht40 p2p_go_max_inactivity p2p_go_vht p2p_group_idle p2p_interface_random_mac_addr
    p2p_listen_channel p2p_listen_reg_class p2p_no_group_iface p2p_oper_channel p2p_oper_reg_class
    p2p_search_delay passive_scan pmf preassoc_mac_addr rand_addr_lifetime reassoc_same_bss_optim
    scan_cur_freq scan_res_valid_for_connect sched_scan_interval sched_scan_start_delay
    tdls_external_control update_config user_mpm wps_priority
  `,
  ),
  ...named(
    { form: 'number', from: -100, to: null },
    `
    filter_rssi
  `,
  ),
  ...named(
    { form: 'number', from: -120, to: null },
    `
    disassoc_imminent_rssi_threshold
  `,
  ),
  ...named(
    { form: 'number', from: 1, to: null },
    `
    fst_llt
  `,
  ),
  ...named(
    { form: 'text' },
    `
    bgscan
  `,
  ),
  // Taken whatever their value, or with forms of their own that headless boards do not need.
  ...named(
    { form: 'any' },
    `
    ap_assocresp_elements ap_vendor_elements autoscan config_methods ctrl_interface ctrl_interface_group
    device_name device_type dpp_mud_url dpp_name driver_param ext_password_backend freq_list fst_group_id
    hessid initial_freq_list ip_addr_end ip_addr_go ip_addr_mask ip_addr_start load_dynamic_eap manufacturer
    model_name model_number no_ctrl_interface non_pref_chan opensc_engine_path openssl_ciphers os_version
    osu_dir p2p_device_persistent_mac_addr p2p_no_go_freq p2p_passphrase_len p2p_pref_chan p2p_ssid_postfix
    pcsc_pin pcsc_reader pkcs11_engine_path pkcs11_module_path sae_groups sched_scan_plans sec_device_type
    serial_number uuid wowlan_triggers wps_nfc_dev_pw wps_nfc_dev_pw_id wps_nfc_dh_privkey wps_nfc_dh_pubkey
    wps_vendor_ext_m1
  `,
  ),
]);
